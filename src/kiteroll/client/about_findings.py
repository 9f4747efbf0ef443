"""Calls about what must be looked at, and about who may be where: findings, rules, rolls."""

from collections.abc import Sequence
from datetime import datetime

from pydantic import TypeAdapter

from kiteroll.client.question import ListQuestion, Question, asked, listed, part
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf


def findings(
    *,
    states: Sequence[api.FindingState] = (),
    kinds: Sequence[api.FindingKind] = (),
    severities: Sequence[api.Severity] = (),
    switch: str | None = None,
    mac: str | None = None,
    since: datetime | None = None,
    parts: bool = False,
    limit: int = 100,
) -> ListQuestion[api.Finding]:
    """Latest evidence first; open and acknowledged ones unless `states` are given."""
    return listed(
        "/findings",
        TypeAdapter(PageOf[api.Finding]),
        state=list(states) or None,
        kind=list(kinds) or None,
        severity=list(severities) or None,
        switch=switch,
        mac=mac,
        since=since and since.isoformat(),
        parts=parts or None,
        limit=limit,
    )


def finding(number: int) -> Question[api.Finding]:
    return asked(f"/findings/{number}", TypeAdapter(api.Finding))


def finding_parts(number: int, *, limit: int = 100) -> ListQuestion[api.Finding]:
    """Findings that this one explains."""
    return listed(f"/findings/{number}/parts", TypeAdapter(PageOf[api.Finding]), limit=limit)


def acknowledge(number: int, given: api.Acknowledgement) -> Question[api.Finding]:
    path, body = f"/findings/{number}/acknowledgement", given.model_dump(mode="json")
    return Question(method="POST", path=path, body=body, answer=TypeAdapter(api.Finding))


def clear_finding(number: int, given: api.Clearing) -> Question[api.Finding]:
    path, body = f"/findings/{number}/clearing", given.model_dump(mode="json")
    return Question(method="POST", path=path, body=body, answer=TypeAdapter(api.Finding))


def finding_kind(kind: api.FindingKind) -> Question[api.FindingPage]:
    return asked(f"/finding-kinds/{part(kind)}", TypeAdapter(api.FindingPage))


def shared_addresses() -> Question[list[api.SharedAddress]]:
    return asked("/shared-addresses", TypeAdapter(list[api.SharedAddress]))


def keep_shared(prefix: str, given: api.NewSharedAddress) -> Question[list[api.SharedAddress]]:
    path, body = f"/shared-addresses/{part(prefix)}", given.model_dump(mode="json")
    return Question(method="PUT", path=path, body=body, answer=TypeAdapter(list[api.SharedAddress]))


def remove_shared(prefix: str) -> Question[None]:
    return Question(method="DELETE", path=f"/shared-addresses/{part(prefix)}", answer=TypeAdapter(type(None)))


def rules() -> Question[list[api.PortRules]]:
    """What is said of the ports of groups, of switches and of single ports."""
    return asked("/rules", TypeAdapter(list[api.PortRules]))


def set_rule(new: api.NewRule) -> Question[list[api.PortRules]]:
    body = new.model_dump(mode="json")
    return Question(method="PUT", path="/rules", body=body, answer=TypeAdapter(list[api.PortRules]))


def enrol(new: api.NewEntry) -> Question[list[api.PortRules]]:
    """Put an address, or all that begin so, on the roll of a group, a switch or a port."""
    body = new.model_dump(mode="json")
    return Question(method="POST", path="/rules/roll", body=body, answer=TypeAdapter(list[api.PortRules]))


def strike_off(number: int) -> Question[None]:
    return Question(method="DELETE", path=f"/rules/roll/{number}", answer=TypeAdapter(type(None)))


def roll_call(switch: str, port: str) -> Question[api.RollCall]:
    """Who is on a port, beside who may be."""
    return asked(f"/switches/{part(switch)}/rollcall/{part(port)}", TypeAdapter(api.RollCall))
