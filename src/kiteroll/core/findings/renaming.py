"""A switch gets another name: what was found of it, and what is not judged yet, goes on under that one."""

from collections.abc import Iterable
from dataclasses import replace

from kiteroll.core.findings.engine import SwitchRead
from kiteroll.core.findings.finding import Finding
from kiteroll.core.model.changes import Change, Moved, Restarted
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.stay import Place

_SWITCH_OF_KEY = 2
"""Place of the switch in the key of a finding: behind kind and address."""


def renamed_finding(finding: Finding, before: str, after: str) -> Finding:
    """Its evidence stays as it was seen, under the name of then."""
    subject, details = finding.subject, finding.details
    return replace(
        finding,
        subject=replace(subject, switch=after) if subject.switch == before else subject,
        details=replace(
            details,
            ports=tuple(_ports(details.ports, before, after)),
            behind=after if details.behind == before else details.behind,
        ),
        ports=frozenset(_ports(finding.ports, before, after)),
        part_of=_key(finding.part_of, before, after),
    )


def renamed_read(event: SwitchRead, before: str, after: str) -> SwitchRead:
    if event.switch != before:
        return event
    left_out = None if event.left_out is None else replace(event.left_out, switch=after)
    changes = tuple(_change(one, after) for one in event.changes)
    return replace(event, switch=after, changes=changes, left_out=left_out)


def _ports(ports: Iterable[PortRef], before: str, after: str) -> list[PortRef]:
    return [(after if switch == before else switch, port) for switch, port in ports]


def _key(key: str, before: str, after: str) -> str:
    parts = key.split("|")
    if len(parts) > _SWITCH_OF_KEY and parts[_SWITCH_OF_KEY] == before:
        parts[_SWITCH_OF_KEY] = after
    return "|".join(parts)


def _change(change: Change, switch: str) -> Change:
    match change:
        case Restarted():
            return replace(change, switch=switch)
        case Moved():
            return replace(change, place=_place(change.place, switch), origin=_place(change.origin, switch))
        case _:
            return replace(change, place=_place(change.place, switch))


def _place(place: Place, switch: str) -> Place:
    return replace(place, switch=switch)
