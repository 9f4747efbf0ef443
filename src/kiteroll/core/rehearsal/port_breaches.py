"""When a port broke its rule, by who was present there over time.

The statuses of addresses, the limit and the times a breach must last are those that the live engine goes
by; here they hold over intervals instead of one reading.
"""

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta

from kiteroll.core.findings.finding import FindingKind
from kiteroll.core.findings.rule_severity import severity_of
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.policy.port_rules import OnBreach, PortRule, RollStatus
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.rehearsal.spans import Span, instant, joined, length, micros

Present = tuple[int, int | None, int, int]
"""An address that was learned at a port, its VLAN, from when and until when (microseconds since 1970)."""


@dataclass(frozen=True, slots=True)
class PortBreach:
    """For one interval, a rule would have been broken."""

    kind: FindingKind
    port: PortRef
    mac: MacAddress | None
    """None for what concerns the port."""
    vlan: int | None
    span: Span
    lasting: timedelta
    """For how long it must be so before it is reported."""
    on_breach: OnBreach
    count: int = 1
    """Of an overfull port: the most that were present at once."""
    passing: bool = False
    """At a port that carries addresses from elsewhere."""

    @property
    def reported(self) -> bool:
        """Whether it would have been a finding."""
        lasted = self.span[1] - self.span[0] >= length(self.lasting)
        return lasted and (self.kind is FindingKind.BARRED or _is_reported(self.on_breach))


def _is_reported(on_breach: OnBreach) -> bool:
    return severity_of(PortRule(on_breach=on_breach)) is not None


_STATUS_KINDS = {
    RollStatus.STRANGER: FindingKind.STRANGER,
    RollStatus.OUT_OF_PLACE: FindingKind.OUT_OF_PLACE,
    RollStatus.BARRED: FindingKind.BARRED,
}


def roll_breaches(
    port: PortRef, present: Sequence[Present], rules: RuleBook, delay: timedelta, *, lifted: bool = False
) -> Iterator[PortBreach]:
    """By those who are not on the roll, or in another VLAN than expected. `present`: while the port was not
    exempt, or with `lifted` while it was; without addresses that are not counted."""
    rule = rules.rule(port)
    by_status: dict[tuple[FindingKind, MacAddress], list[Present]] = defaultdict(list)
    any_time = instant(0)
    if rules.next_expiry(any_time) is None:
        kinds: dict[tuple[int, int | None], FindingKind] = {}
        for mac, vlan in {one[:2] for one in present}:
            kind = _STATUS_KINDS.get(rules.status(rule, mac, vlan, any_time, lifted=lifted))
            if kind is not None:
                kinds[mac, vlan] = kind
        for one in present if kinds else ():
            if (kind := kinds.get(one[:2])) is not None:
                by_status[kind, MacAddress(one[0])].append(one)
    else:
        for one in present:
            for kind, part in _with_expiry(one, rule, rules, lifted=lifted):
                by_status[kind, MacAddress(one[0])].append(part)
    other_vlan: list[Present] = []
    if rule.vlans is not None and not lifted:
        other_vlan = [one for one in present if rule.unexpected_vlan(one[1])]
    for (kind, address), parts in by_status.items():
        lasting = timedelta(0) if kind is FindingKind.BARRED else delay
        for span in joined(part[2:] for part in parts):
            yield PortBreach(kind, port, address, parts[0][1], span, lasting, rule.on_breach, passing=lifted)
    for span in joined(one[2:] for one in other_vlan):
        yield PortBreach(FindingKind.OTHER_VLAN, port, None, other_vlan[0][1], span, delay, rule.on_breach)


def _with_expiry(
    one: Present, rule: PortRule, rules: RuleBook, *, lifted: bool
) -> Iterator[tuple[FindingKind, Present]]:
    """What an address broke over its time there: another rule once an entry had expired."""
    mac, vlan, began, ended = one
    while began < ended:
        at = instant(began)
        kind = _STATUS_KINDS.get(rules.status(rule, mac, vlan, at, lifted=lifted))
        expiry = rules.next_expiry(at)
        until = ended if expiry is None else min(micros(expiry), ended)
        if kind is not None:
            yield kind, (mac, vlan, began, until)
        began = until


def spans_by_mac(present: Sequence[Present]) -> dict[int, list[Span]]:
    """When each address was there, in any VLAN; those that were there once are not looked at twice."""
    found: dict[int, list[Span]] = {}
    for mac, _, began, ended in present:
        if mac in found:
            found[mac].append((began, ended))
        else:
            found[mac] = [(began, ended)]
    return found


def crowd_breaches(
    port: PortRef,
    by_mac: Mapping[int, Sequence[Span]],
    rule: PortRule,
    delay: timedelta,
    ageing: timedelta,
    from_the_start: int,
) -> Iterator[PortBreach]:
    """By more present at once than there are seats; an address in two VLANs takes one. `by_mac`: when each
    was there, in any VLAN. `ageing`: for how long the switch may hold somebody who left. `from_the_start`:
    the first reading; who was in it may have been there for long."""
    events: dict[int, list[tuple[int, int]]] = defaultdict(list)
    for mac, spans in by_mac.items():
        for began, ended in joined(spans):
            events[began].append((mac, 1))
            events[ended].append((mac, -1))
    came = {mac: [span for span in spans if span[0] > from_the_start] for mac, spans in by_mac.items()}
    lately = length(ageing)
    here: set[int] = set()
    opened: int | None = None
    most, sure = 0, False
    for at in sorted(events):
        here -= {mac for mac, change in events[at] if change < 0}
        here |= {mac for mac, change in events[at] if change > 0}
        if rule.overfull(len(here)):
            if opened is None:
                opened, most, sure = at, 0, False
            most = max(most, len(here))
            newcomers = sum(
                any(at - lately < began <= at < ended for began, ended in came[mac]) for mac in here
            )
            sure = sure or newcomers == 0 or rule.overfull(newcomers)
        elif opened is not None:
            lasting = delay if sure else max(delay, ageing)
            yield PortBreach(
                FindingKind.OVERFULL, port, None, None, (opened, at), lasting, rule.on_breach, most
            )
            opened = None
