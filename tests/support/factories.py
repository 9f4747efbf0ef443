"""Readings and rules made in a line or two, for tests of what becomes of them."""

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime, timedelta

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.reading import Device, Gap, Oper, Port, Reading, key_of
from kiteroll.core.policy.levels import EVERYTHING, Level
from kiteroll.core.policy.port_rules import Rule
from kiteroll.core.policy.roll import Barred, BarredList
from kiteroll.core.policy.rule_book import RuleBook

NOON = datetime(2026, 5, 4, 12, 0, tzinfo=UTC)
AGEING = timedelta(seconds=300)
BROKEN = Gap(table="dot1qTpFdbTable", why="no answer", rows=3)


def at(minutes: float) -> datetime:
    return NOON + timedelta(minutes=minutes)


def mac(number: int) -> MacAddress:
    return MacAddress(0x021A01000000 + number)


def reading(
    minutes: float,
    learned: Mapping[tuple[int, int], str],
    *,
    switch: str = "quay-1",
    ports: Mapping[str, int] | None = None,
    down: tuple[str, ...] = (),
    partial: bool = False,
    uptime_s: float | None = None,
) -> Reading:
    """`learned`: (number of address, VLAN) to port name. `ports`: name to number; p1..p24 unless given.
    `uptime_s`: seconds since the start of the switch; grows from NOON on unless given."""
    numbers = ports if ports is not None else {f"p{number}": number for number in range(1, 25)}
    ticks = 100_000_000 + minutes * 6000 if uptime_s is None else uptime_s * 100
    return Reading(
        switch=switch,
        taken_at=at(minutes),
        device=Device(name=switch, uptime_ticks=int(ticks), ageing=AGEING),
        ports=tuple(
            Port(number=number, name=name, oper=Oper.DOWN if name in down else Oper.UP)
            for name, number in numbers.items()
        ),
        learned={key_of(mac(number), vlan): numbers[name] for (number, vlan), name in learned.items()},
        gaps=(BROKEN,) if partial else (),
    )


def rule_book(
    *,
    everything: Rule | None = None,
    groups: Mapping[str, Rule] | None = None,
    switches: Mapping[str, Rule] | None = None,
    ranges: Mapping[PortRef, Rule] | None = None,
    ports: Mapping[PortRef, Rule] | None = None,
    in_groups: Mapping[str, Sequence[str]] | None = None,
    barred: Sequence[Barred] = (),
) -> RuleBook:
    """Rules by level; `ranges`: by switch and range of ports."""
    rules = {EVERYTHING: everything} if everything is not None else {}
    rules |= {Level(group=name): rule for name, rule in (groups or {}).items()}
    rules |= {Level(switch=name): rule for name, rule in (switches or {}).items()}
    rules |= {Level(switch=name, ports=ports): rule for (name, ports), rule in (ranges or {}).items()}
    rules |= {Level(switch=name, port=port): rule for (name, port), rule in (ports or {}).items()}
    return RuleBook(rules=rules, in_groups=in_groups or {}, barred=BarredList(barred))
