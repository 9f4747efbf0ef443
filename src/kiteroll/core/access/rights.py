"""Rights, and the roles that hold them."""

from collections.abc import Iterable
from enum import StrEnum


class Right(StrEnum):
    VIEW = "view"
    """See everything but people, tokens of others and the audit log."""
    ACCOUNT = "account"
    """Change the own password, and make and revoke own tokens."""
    OPERATE = "operate"
    """Acknowledge findings, set rules and names, enrol, read switches now, import readings, rehearse."""
    ACT_ON_PORTS = "act-on-ports"
    """Have ports of switches closed and opened. No role holds it: it is granted to single accounts."""
    ADMINISTER = "administer"
    """Switches and credentials, people, tokens, targets, settings, the audit log, backups."""


class Role(StrEnum):
    VIEWER = "viewer"
    OPERATOR = "operator"
    ADMINISTRATOR = "administrator"


_OF_ROLE = {
    Role.VIEWER: frozenset({Right.VIEW, Right.ACCOUNT}),
    Role.OPERATOR: frozenset({Right.VIEW, Right.ACCOUNT, Right.OPERATE}),
    Role.ADMINISTRATOR: frozenset({Right.VIEW, Right.ACCOUNT, Right.OPERATE, Right.ADMINISTER}),
}


def rights_of(role: Role, *, acts_on_ports: bool = False) -> frozenset[Right]:
    held = _OF_ROLE[role]
    return held | {Right.ACT_ON_PORTS} if acts_on_ports else held


def narrowed(held: frozenset[Right], scopes: Iterable[Right]) -> frozenset[Right]:
    """What a token may do: of what its owner may do now, what its scopes name. Seeing goes with
    everything else."""
    return held & ({Right.VIEW} | set(scopes))
