"""What can be done to a switch, and how that goes."""

from dataclasses import dataclass
from enum import StrEnum

from kiteroll.core.errors import Invalid

SHORTEST_AGEING_S, LONGEST_AGEING_S = 10, 1_000_000
"""dot1dTpAgingTime INTEGER (10..1000000), in seconds (RFC 4188)."""
LONGEST_ALIAS = 64
"""ifAlias DisplayString (SIZE (0..64)), in octets (RFC 2863)."""


class ActionKind(StrEnum):
    CLOSE = "close-port"
    """ifAdminStatus becomes down."""
    REOPEN = "reopen-port"
    """ifAdminStatus becomes up."""
    ALIAS = "set-alias"
    """ifAlias."""
    AGEING_TIME = "set-ageing-time"
    """dot1dTpAgingTime, of the whole switch."""

    @property
    def of_port(self) -> bool:
        return self is not ActionKind.AGEING_TIME


class ActionState(StrEnum):
    SENDING = "sending"
    """Recorded, before anything is sent: found so at a start, it is read back."""
    DONE = "done"
    """Read back: it is as was asked."""
    REFUSED = "refused"
    """The switch refused it, and is as it was."""
    NOT_DONE = "not done"
    """Read back: it is as it was, or something else."""
    UNKNOWN = "unknown"
    """No answer, and the switch cannot be read at the moment; it is asked again."""

    @property
    def over(self) -> bool:
        return self not in (ActionState.SENDING, ActionState.UNKNOWN)


@dataclass(frozen=True, slots=True)
class ObjectWrite:
    """One object, from what to what, in the words of its MIB."""

    name: str
    """`ifAdminStatus.7`"""
    was: str
    """Empty: not known."""
    to: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Wanted:
    """An action that somebody, or a rule, asks for. Raises Invalid for a value the MIB does not allow."""

    kind: ActionKind
    switch: str
    port: str = ""
    value: str = ""
    """The alias, or the ageing time in seconds; empty for the others."""

    def __post_init__(self) -> None:
        if self.kind.of_port != bool(self.port):
            raise Invalid(f"{self.kind}: " + ("name a port" if self.kind.of_port else "it is of no port"))
        if self.kind is ActionKind.ALIAS and len(self.value.encode()) > LONGEST_ALIAS:
            raise Invalid(f"an alias has at most {LONGEST_ALIAS} octets (ifAlias, RFC 2863)")
        if self.kind is ActionKind.ALIAS and not self.value.isprintable():
            raise Invalid("an alias is made of printable characters")
        if self.kind is ActionKind.AGEING_TIME:
            good = self.value.isascii() and self.value.isdecimal()
            if not good or not SHORTEST_AGEING_S <= int(self.value) <= LONGEST_AGEING_S:
                raise Invalid(
                    f"an ageing time is {SHORTEST_AGEING_S} to {LONGEST_AGEING_S} whole seconds "
                    "(dot1dTpAgingTime, RFC 4188)"
                )


def read_back(write: ObjectWrite, found: str | None) -> ActionState:
    """What became of a write, by what the object says afterwards; None: it could not be read."""
    if found is None:
        return ActionState.UNKNOWN
    return ActionState.DONE if found == write.to else ActionState.NOT_DONE
