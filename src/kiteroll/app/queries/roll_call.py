"""The roll call: who is present on a port, a switch, a group or everything, beside who may be."""

from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from kiteroll.app.kept_rules import KeptRules
from kiteroll.app.makers import MakerDirectory
from kiteroll.app.queries.endpoints import find_port
from kiteroll.app.queries.search import Search
from kiteroll.app.switch_condition import condition_of
from kiteroll.app.topology_view import TopologyView
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.clock import Clock
from kiteroll.core.errors import BadAddress, Invalid, NotFound
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.mac_table import MacTable
from kiteroll.core.model.makers import ADDRESS_DIGITS, AddressOrigin, first_digits
from kiteroll.core.model.nearest import no_such, ports_hint
from kiteroll.core.model.paging import PageAsk
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.policy.csv_lists import ExpectedLine, expected_devices
from kiteroll.core.policy.enrolment import Replacement, replacements
from kiteroll.core.policy.evaluation import Judge
from kiteroll.core.policy.levels import EVERYTHING, Level
from kiteroll.core.policy.occupancy import NotCounted, PortCounts, PortOccupancy
from kiteroll.core.policy.roll import Enrolled
from kiteroll.core.policy.roll_call import Attended, Expected, RollCallCounts, attend, counts_of, total
from kiteroll.core.topology.sighting import judged_ageing
from kiteroll.core.tracking.switch_health import SwitchCondition
from kiteroll.store import finding_inputs, inventory, stay_queries
from kiteroll.store.database import Database
from kiteroll.store.list_queries import all_port_names
from kiteroll.store.paging import Page

_MAX_SEARCHED = 2_000
"""Lines of a list that name a device by IP or name: each is a search of its own."""


@dataclass(frozen=True, slots=True, kw_only=True)
class CalledPort:
    """One port of a roll call."""

    occupancy: PortOccupancy
    alias: str
    counts: RollCallCounts
    read_at: datetime | None
    """The latest whole reading of its switch, which all this is of."""
    random: frozenset[MacAddress]
    """Present addresses that devices are likely to have made up."""
    replacements: tuple[Replacement, ...] = ()
    """Filled where one port is called."""


@dataclass(frozen=True, slots=True, kw_only=True)
class AbsentEntry:
    """A whole address that is enrolled, and present nowhere at its level."""

    entry: Enrolled
    seen_at: datetime | None
    """When it was present last, anywhere; now, if it is elsewhere. None: never."""
    seen_port: PortRef | None
    not_read: bool
    """A switch where it may be is not read in time: it is absent from its latest reading."""


@dataclass(frozen=True, slots=True, kw_only=True)
class RollCallView:
    totals: RollCallCounts
    ports: tuple[CalledPort, ...]
    """In order of switch and port."""
    next: str | None


class RollCalls:
    def __init__(
        self,
        database: Database,
        kept_rules: KeptRules,
        topology: TopologyView,
        fleet: TrackedFleet,
        makers: MakerDirectory,
        search: Search,
        claimed_uplinks: Callable[[], frozenset[PortRef]],
        clock: Clock,
    ) -> None:
        """`claimed_uplinks`: ports that look like uplinks and stay under their rules."""
        self._database = database
        self._rules = kept_rules
        self._topology = topology
        self._fleet = fleet
        self._makers = makers
        self._search = search
        self._claimed_uplinks = claimed_uplinks
        self._clock = clock

    def port(self, switch: str, port: str) -> CalledPort:
        """Raises NotFound."""
        find_port(self._database, switch, port)
        judge = self._judge()
        table = self._fleet.tracker.table(switch)
        keys = _keys_by_port(table).get(port, ())
        row = self._database.run(inventory.get_switch, switch)
        called = self._called(judge, {switch: condition_of(row, present=0)}, (switch, port), "", keys)
        since = judge.now - judged_ageing(table.ageing)
        lately = frozenset(key for key in keys if (at := table.recent.get(key)) is not None and at > since)
        called = replace(called, occupancy=judge.occupancy((switch, port), keys, lately))
        offers = replacements(called.occupancy, called.random, judge.now)
        return replace(called, replacements=tuple(offers))

    def all(self, level: Level, *, broken: bool, without_rule: bool, ask: PageAsk) -> RollCallView:
        """Ports of a level that have a rule or a roll and are not exempt, or where somebody is who is barred;
        and their sums. `broken`: only those at which a rule is broken; `without_rule`: all others are listed
        too. Raises NotFound for a level that is not there."""
        judge, switches = self._judge(), self._conditions()
        ports = self._ports_of(level, judge)
        sums: list[RollCallCounts] = []
        wanted: list[tuple[PortRef, str, Sequence[int]]] = []
        after, last = _position(ask.cursor), 0
        for at, (port, alias, keys) in enumerate(self._ports_with_keys(ports)):
            counts = judge.counts(port, keys)
            if _is_called(counts):
                sums.append(counts_of(counts, judge.now, current=_is_current(switches, port, judge.now)))
            elif not without_rule:
                continue
            if at >= after and len(wanted) <= ask.limit and (counts.broken or not broken):
                wanted.append((port, alias, keys))
                last = at
        rows = [self._called(judge, switches, *one) for one in wanted[: ask.limit]]
        return RollCallView(
            totals=total(sums), ports=tuple(rows), next=str(last) if len(wanted) > ask.limit else None
        )

    def called(self, level: Level) -> Iterator[CalledPort]:
        """Ports of a level that have a rule or a roll, one after the other as in `all`. Raises NotFound."""
        judge, switches = self._judge(), self._conditions()
        for port, alias, keys in self._ports_with_keys(self._ports_of(level, judge)):
            if _is_called(judge.counts(port, keys)):
                yield self._called(judge, switches, port, alias, keys)

    def occupancies(self, level: Level) -> list[PortOccupancy]:
        """Of every port of a level, in order of switch and port. Raises NotFound."""
        judge = self._judge()
        ports = self._ports_with_keys(self._ports_of(level, judge))
        return [judge.occupancy(port, keys) for port, _, keys in ports]

    def absent(self, level: Level) -> list[AbsentEntry]:
        """Whole addresses that are enrolled at or below a level, and present nowhere where they may be.
        Raises NotFound."""
        judge = self._judge()
        ports = self._ports_of(level, judge)
        here: dict[str, set[PortRef]] = defaultdict(set)
        for switch, names in ports.items():
            table = self._fleet.tracker.table(switch)
            for key, number in table.learned.items():
                if (name := table.names.get(number)) is not None and name in names:
                    here[f"{key & ((1 << 48) - 1):012x}"].add((switch, name))
        missing = []
        for entry in judge.rules.entries():
            if (
                not entry.is_address
                or entry.expired(judge.now)
                or not _within(entry.level, level, judge, ports)
            ):
                continue
            at = here.get(entry.prefix, ())
            if not any(entry.level.holds(port, judge.rules.in_groups.get(port[0], ())) for port in at):
                missing.append(entry)
        seen = self._last_seen([entry.mac for entry in missing if entry.mac is not None], judge)
        unread = self._unread(judge.now)
        groups = judge.rules.in_groups
        not_read = {
            level
            for level in {entry.level for entry in missing}
            if any(level.concerns(switch, groups.get(switch, ())) for switch in unread)
        }
        return [
            AbsentEntry(entry=entry, seen_at=at, seen_port=port, not_read=entry.level in not_read)
            for entry in missing
            for at, port in [seen.get(entry.prefix, (None, None))]
        ]

    def against_list(self, text: str, level: Level) -> list[Attended]:
        """A CSV list of expected devices beside the network, both ways. Raises InvalidParts for the list,
        NotFound for a level or a switch that is not there, Invalid where there are too many names."""
        lines = expected_devices(text)
        judge = self._judge()
        ports = self._ports_of(level, judge)
        homes: dict[MacAddress, list[PortRef]] = defaultdict(list)
        for switch, table in self._fleet.tracker.tables().items():
            for key, number in table.learned.items():
                mac, name = MacAddress(key & ((1 << 48) - 1)), table.names.get(number)
                port = (switch, name or "")
                if name is None or mac in judge.not_counted or judge.exempt(port):
                    continue
                if port not in homes[mac]:
                    homes[mac].append(port)
        named = sum(first_digits(one.device, ADDRESS_DIGITS) is None for one in lines)
        if named > _MAX_SEARCHED:
            raise Invalid(
                f"the list names {named} devices by name or IP, at most {_MAX_SEARCHED} are possible"
            )
        expected = [self._expected(one) for one in lines]
        called = None if level == EVERYTHING else {(s, name) for s, names in ports.items() for name in names}
        there = set(self._fleet.switches.values())
        for one in lines:
            if one.switch and one.switch not in there:
                raise no_such("switch", one.switch, there)
        return attend(expected, homes, self._fleet.index, called, self._unread(judge.now))

    def _expected(self, line: ExpectedLine) -> Expected:
        macs: tuple[MacAddress, ...]
        try:
            macs = (MacAddress.parse(line.device),)
        except BadAddress:
            macs = tuple(self._search.devices_called(line.device))
        return Expected(line=line.line, device=line.device, macs=macs, switch=line.switch, port=line.port)

    def judge(self) -> Judge:
        """What ports are judged by now."""
        return self._judge()

    def _judge(self) -> Judge:
        topology, claimed = self._topology.now().topology, self._claimed_uplinks()
        switches = self._database.run(inventory.switch_addresses)
        shared = self._database.run(finding_inputs.shared_addresses)
        return Judge(
            self._rules.book(),
            lambda port: topology.is_uplink(port) and port not in claimed,
            NotCounted(switches, shared),
            self._clock.now(),
        )

    def _ports_of(self, level: Level, judge: Judge) -> dict[str, dict[str, str]]:
        """By switch: its ports at the level, in order, with their aliases. Raises NotFound."""
        names = self._fleet.switches
        groups = judge.rules.in_groups
        if level.switch and level.switch not in groups:
            raise no_such("switch", level.switch, groups)
        of_groups = {name for named in groups.values() for name in named}
        if level.group and level.group not in of_groups:
            raise no_such("group", level.group, of_groups)
        one = next((number for number, name in names.items() if name == level.switch), None)
        found: dict[str, dict[str, str]] = {}
        for number, port, alias in self._database.run(all_port_names, one):
            switch = names.get(number)
            if switch is not None and level.holds((switch, port), groups.get(switch, ())):
                found.setdefault(switch, {})[port] = alias
        if level.port and not found:
            raise NotFound("port", level.port, ports_hint(level.switch))
        return dict(sorted(found.items()))

    def _ports_with_keys(
        self, ports: Mapping[str, Mapping[str, str]]
    ) -> Iterator[tuple[PortRef, str, Sequence[int]]]:
        """Each port with its alias and the keys learned there."""
        for switch, names in ports.items():
            keys = _keys_by_port(self._fleet.tracker.table(switch))
            for name, alias in names.items():
                yield (switch, name), alias, keys.get(name, ())

    def _conditions(self) -> dict[str, SwitchCondition]:
        """Of the switches of the inventory, by name."""
        return {row.name: condition_of(row, present=0) for row in self._database.run(inventory.all_switches)}

    def _unread(self, now: datetime) -> frozenset[str]:
        """Switches whose latest table may not show who is there now."""
        return frozenset(name for name, one in self._conditions().items() if not one.is_current(now))

    def _called(
        self,
        judge: Judge,
        switches: Mapping[str, SwitchCondition],
        port: PortRef,
        alias: str,
        keys: Sequence[int],
    ) -> CalledPort:
        occupancy, switch = judge.occupancy(port, keys), switches.get(port[0])
        current = _is_current(switches, port, judge.now)
        return CalledPort(
            occupancy=occupancy,
            alias=alias,
            counts=counts_of(judge.counts(port, keys), judge.now, current=current),
            read_at=switch.read_at if switch else None,
            random=self._random(occupancy),
        )

    def _random(self, occupancy: PortOccupancy) -> frozenset[MacAddress]:
        """Of those present, and of those enrolled at the port."""
        macs = {one.mac for one in occupancy.occupants if one.mac.is_local}
        own = {entry.mac for entry in occupancy.rule.own_roll}
        return frozenset(
            mac
            for mac in macs | {mac for mac in own if mac is not None and mac.is_local}
            if self._makers.maker_of(mac)[1] is AddressOrigin.RANDOM
        )

    def _last_seen(self, macs: Sequence[MacAddress], judge: Judge) -> dict[str, tuple[datetime, PortRef]]:
        """Tables on the way hold an address for a while after it left: access ports go first."""
        found = {}
        for mac, stays in self._database.run(stay_queries.places_of, macs).items():
            seen = [(one.seen_at, (one.stay.place.switch, one.stay.place.port)) for one in stays]
            at_home = [one for one in seen if not judge.exempt(one[1])]
            if seen:
                found[mac.digits] = max(at_home or seen)
        return found


def _is_called(counts: PortCounts) -> bool:
    called = counts.rule.sets_something or counts.rule.own_roll or counts.broken
    return bool(called) and not counts.exempt


def _is_current(switches: Mapping[str, SwitchCondition], port: PortRef, now: datetime) -> bool:
    switch = switches.get(port[0])
    return switch is not None and switch.is_current(now)


def _keys_by_port(table: MacTable) -> dict[str, list[int]]:
    found: dict[str, list[int]] = defaultdict(list)
    for key, number in table.learned.items():
        if (name := table.names.get(number)) is not None:
            found[name].append(key)
    return found


def _within(entry: Level, level: Level, judge: Judge, ports: Mapping[str, Mapping[str, str]]) -> bool:
    """Whether an entry's level is one of those that are called: it, or a narrower one."""
    if level == EVERYTHING or entry == level:
        return True
    if entry.port:
        return entry.port in ports.get(entry.switch, {})
    if entry.switch:
        return level.holds((entry.switch, ""), judge.rules.in_groups.get(entry.switch, ())) and not level.port
    return False


def _position(cursor: str | None) -> int:
    """How many ports are before the page. Raises Invalid."""
    if cursor is None:
        return 0
    if not cursor.isdecimal() or len(cursor) > 9:
        raise Invalid("the cursor is not one that this list gave: take `next` of the page before")
    return int(cursor)


__all__ = ["AbsentEntry", "CalledPort", "Page", "RollCallView", "RollCalls"]
