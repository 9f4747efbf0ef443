"""Ports that carry more than they have seats for, and addresses that no roll carries."""

from collections import defaultdict
from collections.abc import Callable, Collection, Iterator, Sequence
from datetime import datetime

from kiteroll.core.findings.model import Evidence, Kind, Severity, Sign, Subject
from kiteroll.core.mac import MacAddress
from kiteroll.core.reading import mac_of, vlan_of
from kiteroll.core.rules import PortRule, RuleBook, Standing
from kiteroll.core.topology import At, Table

_MOST_NAMED = 8
"""Addresses named in a piece of evidence."""
_MOST_STRANGERS = 20
"""Findings a port: beyond that it is one port with a crowd, not that many visitors."""


def breaches(
    switch: str,
    table: Table,
    book: RuleBook,
    *,
    exempt: Callable[[At], bool],
    switches: Collection[MacAddress],
    now: datetime,
) -> Iterator[Sign]:
    """What breaks the rules of one switch's ports, by its present addresses. `exempt`: ports that lead
    to other switches; `switches`: addresses of known switches, which are no endpoints."""
    if not book.concerns(switch):
        return
    there: dict[int, list[int]] = defaultdict(list)
    for key, number in table.learned.items():
        if mac_of(key) not in switches:
            there[number].append(key)
    for number, keys in sorted(there.items()):
        at = (switch, table.names.get(number, ""))
        rule = book.rule(at)
        if not rule.says_something or not at[1] or exempt(at):
            continue
        macs = sorted({mac_of(key) for key in keys})
        if rule.overfull(len(macs)):
            yield _overfull(at, macs, rule.seats or 0, now)
        yield from _strangers(at, sorted(keys), rule, now)


def _overfull(at: At, macs: Sequence[MacAddress], seats: int, now: datetime) -> Sign:
    named = ", ".join(map(str, macs[:_MOST_NAMED]))
    more = f" and {len(macs) - _MOST_NAMED} more" if len(macs) > _MOST_NAMED else ""
    return Sign(
        kind=Kind.OVERFULL,
        severity=Severity.WARNING,
        subject=Subject(switch=at[0], port=at[1]),
        title=f"{at[0]} port {at[1]} carries {len(macs)} addresses and has {_seats(seats)}",
        cause="several devices behind one port: a small switch or a hub, or a machine with guests of its own",
        evidence=(Evidence(now, f"present at once: {named}{more}"),),
        first_at=now,
        last_at=now,
        places=frozenset({at}),
    )


def _strangers(at: At, keys: Sequence[int], rule: PortRule, now: datetime) -> Iterator[Sign]:
    there = ((mac_of(key), vlan_of(key)) for key in keys)
    strangers = [each for each in there if rule.standing(*each) is Standing.STRANGER]
    for mac, vlan in strangers[:_MOST_STRANGERS]:
        where = f" in VLAN {vlan}" if vlan else ""
        yield Sign(
            kind=Kind.STRANGER,
            severity=Severity.WARNING,
            subject=Subject(mac=mac, switch=at[0], port=at[1]),
            title=f"{mac} is on {at[0]} port {at[1]}{where}, and the roll of the port does not carry it",
            cause="a device nobody enrolled: brought along, exchanged, or plugged into the wrong socket",
            evidence=(Evidence(now, f"present{where}; {_enrolled(rule)}"),),
            first_at=now,
            last_at=now,
            places=frozenset({at}),
        )


def _seats(count: int) -> str:
    return "1 seat" if count == 1 else f"{count} seats"


def _enrolled(rule: PortRule) -> str:
    if not rule.roll:
        return "nothing is enrolled there"
    count = len(rule.roll)
    return "1 entry is enrolled there" if count == 1 else f"{count} entries are enrolled there"
