"""The lists that can be exported, each with the filters it takes and the pages it comes from."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, fields
from datetime import UTC, datetime
from itertools import chain, islice
from typing import TypeVar

from pydantic import BaseModel

from kiteroll.api.exports.rows import Rows
from kiteroll.api.exports.stay_rows import stay_rows
from kiteroll.api.presenters.endpoints import (
    present_endpoint,
    present_home_interval,
    present_label,
    present_stay,
)
from kiteroll.api.presenters.findings import present_finding
from kiteroll.api.presenters.history import present_change, present_difference, present_reading
from kiteroll.api.presenters.rules import present_absent, present_barred, present_called_port, present_rule
from kiteroll.api.presenters.switches import (
    present_link,
    present_neighbour,
    present_port,
    present_switch,
    present_vlan,
)
from kiteroll.app.labels import Labels
from kiteroll.app.port_rules import PortRules
from kiteroll.app.queries.differences import Differences
from kiteroll.app.queries.endpoint_history import EndpointHistory
from kiteroll.app.queries.endpoint_list import EndpointFilter, EndpointList
from kiteroll.app.queries.endpoints import EndpointQueries, StayFilter
from kiteroll.app.queries.findings import FindingFilters, FindingQueries, states_asked
from kiteroll.app.queries.history import ChangeFilter, HistoryQueries
from kiteroll.app.queries.network_map import NetworkMap
from kiteroll.app.queries.paging import Page
from kiteroll.app.queries.ports import PortQueries
from kiteroll.app.queries.roll_call import RollCalls
from kiteroll.app.queries.switches import SwitchQueries
from kiteroll.app.queries.vlans import VlanQueries
from kiteroll.app.workers.findings import FindingWorker
from kiteroll.clock import Clock
from kiteroll.core.errors import Invalid, NotFound
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.paging import PageAsk
from kiteroll.core.policy.levels import Level
from kiteroll.schemas import api
from kiteroll.schemas.exports import EXPORT_LISTS, EXPORT_NEEDS

T = TypeVar("T")
_PAGE = 1000
_HEAVY_PAGE = 200
"""Of a list whose rows hold much: endpoints with all their places."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ExportFilter:
    """What an export may be narrowed by; None leaves a criterion out."""

    switch: str | None = None
    port: str | None = None
    vlan: int | None = None
    mac: str | None = None
    site: str | None = None
    group: str | None = None
    maker: str | None = None
    life: tuple[str, ...] | None = None
    confidence: tuple[str, ...] | None = None
    since: datetime | None = None
    until: datetime | None = None
    at: datetime | None = None
    ended: bool | None = None
    uplinks: bool | None = None
    parts: bool | None = None
    kind: tuple[str, ...] | None = None
    state: tuple[str, ...] | None = None
    severity: tuple[str, ...] | None = None
    seen: bool | None = None

    def given(self) -> list[str]:
        return [one.name for one in fields(self) if getattr(self, one.name) is not None]

    @property
    def address(self) -> MacAddress | None:
        return None if self.mac is None else MacAddress.parse(self.mac)


@dataclass(frozen=True, slots=True)
class _List:
    model: type[BaseModel]
    rows: Callable[[ExportFilter], Iterator[BaseModel]]


class ExportLists:
    def __init__(
        self,
        endpoint_list: EndpointList,
        endpoints: EndpointQueries,
        endpoint_history: EndpointHistory,
        switches: SwitchQueries,
        ports: PortQueries,
        findings: FindingQueries,
        worker: FindingWorker,
        differences: Differences,
        history: HistoryQueries,
        vlans: VlanQueries,
        roll_calls: RollCalls,
        rules: PortRules,
        labels: Labels,
        network: NetworkMap,
        clock: Clock,
    ) -> None:
        self._endpoint_list = endpoint_list
        self._endpoints = endpoints
        self._endpoint_history = endpoint_history
        self._switches = switches
        self._ports = ports
        self._findings = findings
        self._worker = worker
        self._differences = differences
        self._history = history
        self._vlans = vlans
        self._roll_calls = roll_calls
        self._rules = rules
        self._labels = labels
        self._network = network
        self._clock = clock
        self._lists: Mapping[str, _List] = {
            "switches": _List(api.Switch, self._switch_rows),
            "ports": _List(api.Port, self._port_rows),
            "neighbours": _List(api.Neighbour, self._neighbour_rows),
            "links": _List(api.MapLink, self._link_rows),
            "discovered-switches": _List(api.Neighbour, self._discovered_rows),
            "endpoints": _List(api.Endpoint, self._endpoint_rows),
            "stays": _List(api.Stay, self._stay_rows),
            "homes": _List(api.HomeInterval, self._home_rows),
            "labels": _List(api.Label, self._label_rows),
            "changes": _List(api.Change, self._change_rows),
            "readings": _List(api.ReadingSummary, self._reading_rows),
            "findings": _List(api.Finding, self._finding_rows),
            "differences": _List(api.Difference, self._difference_rows),
            "vlans": _List(api.VlanSummary, self._vlan_rows),
            "rules": _List(api.PortRules, self._rule_rows),
            "rolls": _List(api.RollRow, self._roll_rows),
            "barred": _List(api.BarredEntry, self._barred_rows),
            "roll-call": _List(api.RollCallPort, self._roll_call_rows),
            "absent": _List(api.AbsentEntry, self._absent_rows),
        }
        if self._lists.keys() != EXPORT_LISTS.keys():
            raise AssertionError(f"lists differ: {sorted(self._lists.keys() ^ EXPORT_LISTS.keys())}")

    def rows(self, name: str, wanted: ExportFilter) -> Rows:
        """Every row of a list, page after page; the first page is fetched before this returns, so that
        what is wrong with a filter is an answer and no broken file.

        Raises NotFound for a list that is not there, Invalid for a filter it does not take or lacks.
        """
        one = self._lists.get(name)
        if one is None:
            raise NotFound("list", name, f"there are {', '.join(self._lists)}")
        given, filters = set(wanted.given()), EXPORT_LISTS[name]
        if unknown := sorted(given - set(filters)):
            takes = f"it takes {', '.join(sorted(filters))}" if filters else "it takes none"
            raise Invalid(f"{', '.join(unknown)}: the list {name} cannot be filtered by this; {takes}")
        if missing := sorted(set(EXPORT_NEEDS.get(name, ())) - given):
            raise Invalid(f"{', '.join(missing)}: the list {name} needs it")
        if name == "stays" and wanted.at is None:
            view, past, rows = self._endpoints.plain_stays(_stay_filter(wanted))
            return Rows(one.model, plain=_started(stay_rows(view, past, rows)))
        return Rows(one.model, _started(one.rows(wanted)))

    def _names_of(self, wanted: ExportFilter) -> list[str]:
        """Switches the filters leave. Raises NotFound for one that is not there."""
        if wanted.switch is not None:
            return [self._switches.get(wanted.switch).row.name]
        views = _pages(lambda ask: self._switches.page(ask, wanted.site, wanted.group), lambda one: one)
        return [one.row.name for one in views]

    def _switch_rows(self, wanted: ExportFilter) -> Iterator[api.Switch]:
        return _pages(lambda ask: self._switches.page(ask, wanted.site, wanted.group), present_switch)

    def _port_rows(self, wanted: ExportFilter) -> Iterator[api.Port]:
        for name in self._names_of(wanted):
            yield from map(present_port, self._ports.of_switch(name, wanted.at))

    def _neighbour_rows(self, wanted: ExportFilter) -> Iterator[api.Neighbour]:
        names = frozenset(self._names_of(wanted))
        rows = (row for row in self._switches.all_neighbours() if row.switch_name in names)
        yield from map(present_neighbour, rows)

    def _link_rows(self, wanted: ExportFilter) -> Iterator[api.MapLink]:
        yield from map(present_link, self._network.view().links)

    def _label_rows(self, wanted: ExportFilter) -> Iterator[api.Label]:
        return _pages(
            lambda ask: self._labels.page(ask, wanted.seen), lambda one: present_label(one.label, one.seen)
        )

    def _rule_rows(self, wanted: ExportFilter) -> Iterator[api.PortRules]:
        now = self._clock.now()
        yield from (present_rule(row, now) for row in self._rules.all())

    def _roll_rows(self, wanted: ExportFilter) -> Iterator[api.RollRow]:
        for rule in self._rule_rows(wanted):
            where = {name: getattr(rule, name) for name in ("level", "group", "switch", "ports", "port")}
            yield from (api.RollRow(**where, **entry.model_dump()) for entry in rule.roll)

    def _barred_rows(self, wanted: ExportFilter) -> Iterator[api.BarredEntry]:
        now = self._clock.now()
        yield from (present_barred(row, now) for row in self._rules.barred())

    def _endpoint_rows(self, wanted: ExportFilter) -> Iterator[api.Endpoint]:
        narrowed = EndpointFilter(
            switch=wanted.switch,
            port=wanted.port,
            vlan=wanted.vlan,
            site=wanted.site,
            group=wanted.group,
            maker=wanted.maker,
            lives=wanted.life or (),
            confidences=wanted.confidence or (),
            since=wanted.since,
        )
        return _pages(lambda ask: self._endpoint_list.page(narrowed, ask), present_endpoint, _HEAVY_PAGE)

    def _stay_rows(self, wanted: ExportFilter) -> Iterator[api.Stay]:
        filters = _stay_filter(wanted)
        return _pages(lambda ask: self._endpoints.stays(filters, ask), present_stay)

    def _home_rows(self, wanted: ExportFilter) -> Iterator[api.HomeInterval]:
        since = wanted.since or datetime.fromtimestamp(0, UTC)
        if wanted.address is not None:
            mac = wanted.address
            yield from (
                present_home_interval(mac, one) for one in self._endpoint_history.homes_since(mac, since)
            )
            return
        yield from (present_home_interval(mac, one) for mac, one in self._endpoint_history.all_homes(since))

    def _discovered_rows(self, wanted: ExportFilter) -> Iterator[api.Neighbour]:
        yield from map(present_neighbour, self._switches.discovered())

    def _change_rows(self, wanted: ExportFilter) -> Iterator[api.Change]:
        filters = ChangeFilter(
            since=wanted.since,
            until=wanted.until,
            switch=wanted.switch,
            mac=wanted.address,
            kinds=wanted.kind or (),
            uplinks=wanted.uplinks is not False,
        )
        return _pages(lambda ask: self._history.changes(filters, ask), present_change)

    def _reading_rows(self, wanted: ExportFilter) -> Iterator[api.ReadingSummary]:
        return _pages(lambda ask: self._history.readings(wanted.switch, ask), present_reading)

    def _finding_rows(self, wanted: ExportFilter) -> Iterator[api.Finding]:
        filters = FindingFilters(
            states=states_asked(wanted.state, wanted.at),
            kinds=wanted.kind or (),
            mac=wanted.address,
            switch=wanted.switch,
            severities=wanted.severity or (),
            part_of=None if wanted.parts else "",
            since=wanted.since,
            at=wanted.at,
        )
        clears_at = self._worker.clears_at if wanted.at is None else None
        return _pages(
            lambda ask: self._findings.page(filters, ask), lambda one: present_finding(one, clears_at)
        )

    def _difference_rows(self, wanted: ExportFilter) -> Iterator[api.Difference]:
        if wanted.since is None:
            raise AssertionError("checked before: the list needs it")
        since = wanted.since
        return _pages(
            lambda ask: self._differences.page(since, wanted.until, wanted.switch, wanted.group, ask),
            present_difference,
        )

    def _roll_call_rows(self, wanted: ExportFilter) -> Iterator[api.RollCallPort]:
        yield from map(present_called_port, self._roll_calls.called(_level(wanted)))

    def _absent_rows(self, wanted: ExportFilter) -> Iterator[api.AbsentEntry]:
        yield from map(present_absent, self._roll_calls.absent(_level(wanted)))

    def _vlan_rows(self, wanted: ExportFilter) -> Iterator[api.VlanSummary]:
        yield from map(present_vlan, self._vlans.all())


def _stay_filter(wanted: ExportFilter) -> StayFilter:
    return StayFilter(
        switch=wanted.switch,
        port=wanted.port,
        vlan=wanted.vlan,
        mac=wanted.address,
        ended=bool(wanted.ended),
        uplinks=wanted.uplinks is not False,
        at=wanted.at,
    )


def _level(wanted: ExportFilter) -> Level:
    return Level(wanted.group or "", wanted.switch or "", wanted.port or "")


M = TypeVar("M")


def _pages(fetch: Callable[[PageAsk], Page[T]], present: Callable[[T], M], rows: int = _PAGE) -> Iterator[M]:
    cursor: str | None = None
    while True:
        page = fetch(PageAsk(cursor, rows))
        yield from map(present, page.items)
        if page.next is None:
            return
        cursor = page.next


def _started(rows: Iterator[M]) -> Iterator[M]:
    """The first row is there when this returns."""
    some = list(islice(rows, 1))
    return chain(some, rows)
