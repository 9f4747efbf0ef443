"""The lists that can be exported, each with the filters it takes and the pages it comes from."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, fields
from datetime import UTC, datetime
from typing import TypeVar

from pydantic import BaseModel

from kiteroll.api.presenters.endpoints import present_endpoint, present_home_interval, present_stay
from kiteroll.api.presenters.findings import present_finding
from kiteroll.api.presenters.history import present_change, present_difference, present_reading
from kiteroll.api.presenters.rules import present_absent, present_called_port
from kiteroll.api.presenters.switches import present_neighbour, present_port, present_switch, present_vlan
from kiteroll.app.queries.differences import Differences
from kiteroll.app.queries.endpoints import EndpointQueries, StayFilter
from kiteroll.app.queries.findings import FindingFilters, FindingQueries
from kiteroll.app.queries.history import ChangeFilter, HistoryQueries
from kiteroll.app.queries.paging import Page
from kiteroll.app.queries.ports import PortQueries
from kiteroll.app.queries.roll_call import RollCalls
from kiteroll.app.queries.switches import SwitchQueries
from kiteroll.app.queries.vlans import VlanQueries
from kiteroll.app.workers.findings import FindingWorker
from kiteroll.core.errors import Invalid, NotFound
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.policy.levels import Level
from kiteroll.schemas import api

T = TypeVar("T")
_PAGE = 1000


@dataclass(frozen=True, slots=True, kw_only=True)
class ExportFilter:
    """What an export may be narrowed by; None leaves a criterion out."""

    switch: str | None = None
    port: str | None = None
    vlan: int | None = None
    mac: str | None = None
    group: str | None = None
    since: datetime | None = None
    until: datetime | None = None
    at: datetime | None = None
    ended: bool | None = None
    uplinks: bool | None = None
    parts: bool | None = None
    kind: tuple[str, ...] | None = None
    state: tuple[str, ...] | None = None

    def given(self) -> list[str]:
        return [one.name for one in fields(self) if getattr(self, one.name) is not None]

    @property
    def address(self) -> MacAddress | None:
        return None if self.mac is None else MacAddress.parse(self.mac)


@dataclass(frozen=True, slots=True)
class _List:
    rows: Callable[[ExportFilter], Iterator[BaseModel]]
    filters: frozenset[str]
    needs: frozenset[str] = frozenset()


class ExportLists:
    def __init__(
        self,
        endpoints: EndpointQueries,
        switches: SwitchQueries,
        ports: PortQueries,
        findings: FindingQueries,
        worker: FindingWorker,
        differences: Differences,
        history: HistoryQueries,
        vlans: VlanQueries,
        roll_calls: RollCalls,
    ) -> None:
        self._endpoints = endpoints
        self._switches = switches
        self._ports = ports
        self._findings = findings
        self._worker = worker
        self._differences = differences
        self._history = history
        self._vlans = vlans
        self._roll_calls = roll_calls
        of_switch = frozenset({"switch"})
        self._lists: Mapping[str, _List] = {
            "switches": _List(self._switch_rows, frozenset()),
            "ports": _List(self._port_rows, frozenset({"switch", "at"}), of_switch),
            "neighbours": _List(self._neighbour_rows, of_switch, of_switch),
            "endpoints": _List(self._endpoint_rows, frozenset()),
            "stays": _List(
                self._stay_rows, frozenset({"switch", "port", "vlan", "mac", "ended", "uplinks", "at"})
            ),
            "homes": _List(self._home_rows, frozenset({"since"})),
            "discovered-switches": _List(self._discovered_rows, frozenset()),
            "changes": _List(
                self._change_rows, frozenset({"switch", "mac", "since", "until", "kind", "uplinks"})
            ),
            "readings": _List(self._reading_rows, of_switch),
            "findings": _List(
                self._finding_rows, frozenset({"switch", "mac", "since", "kind", "state", "parts"})
            ),
            "differences": _List(
                self._difference_rows, frozenset({"since", "until", "switch", "group"}), frozenset({"since"})
            ),
            "vlans": _List(self._vlan_rows, frozenset()),
            "roll-call": _List(self._roll_call_rows, frozenset({"switch", "port", "group"})),
            "absent": _List(self._absent_rows, frozenset({"switch", "port", "group"})),
        }

    def names(self) -> list[str]:
        return list(self._lists)

    def rows(self, name: str, wanted: ExportFilter) -> Iterator[BaseModel]:
        """Every row of a list, page after page; the first page is fetched before this returns, so that
        what is wrong with a filter is an answer and no broken file.

        Raises NotFound for a list that is not there, Invalid for a filter it does not take or lacks.
        """
        one = self._lists.get(name)
        if one is None:
            raise NotFound("list", name, f"there are {', '.join(self._lists)}")
        given = set(wanted.given())
        if unknown := sorted(given - one.filters):
            takes = f"it takes {', '.join(sorted(one.filters))}" if one.filters else "it takes none"
            raise Invalid(f"{', '.join(unknown)}: the list {name} cannot be filtered by this; {takes}")
        if missing := sorted(one.needs - given):
            raise Invalid(f"{', '.join(missing)}: the list {name} needs it")
        return _started(one.rows(wanted))

    def _switch_rows(self, wanted: ExportFilter) -> Iterator[api.Switch]:
        return _pages(lambda cursor: self._switches.page(cursor, _PAGE), present_switch)

    def _port_rows(self, wanted: ExportFilter) -> Iterator[api.Port]:
        yield from map(present_port, self._ports.of_switch(wanted.switch or "", wanted.at))

    def _neighbour_rows(self, wanted: ExportFilter) -> Iterator[api.Neighbour]:
        yield from map(present_neighbour, self._switches.neighbours(wanted.switch or ""))

    def _endpoint_rows(self, wanted: ExportFilter) -> Iterator[api.Endpoint]:
        return _pages(lambda cursor: self._endpoints.page(cursor, _PAGE), present_endpoint)

    def _stay_rows(self, wanted: ExportFilter) -> Iterator[api.Stay]:
        filters = StayFilter(
            switch=wanted.switch,
            port=wanted.port,
            vlan=wanted.vlan,
            mac=wanted.address,
            ended=bool(wanted.ended),
            uplinks=wanted.uplinks is not False,
            at=wanted.at,
        )
        return _pages(lambda cursor: self._endpoints.stays(filters, cursor, _PAGE), present_stay)

    def _home_rows(self, wanted: ExportFilter) -> Iterator[api.HomeInterval]:
        since = wanted.since or datetime.fromtimestamp(0, UTC)
        yield from (present_home_interval(mac, one) for mac, one in self._endpoints.all_homes(since))

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
        return _pages(lambda cursor: self._history.changes(filters, cursor, _PAGE), present_change)

    def _reading_rows(self, wanted: ExportFilter) -> Iterator[api.ReadingSummary]:
        return _pages(lambda cursor: self._history.readings(wanted.switch, cursor, _PAGE), present_reading)

    def _finding_rows(self, wanted: ExportFilter) -> Iterator[api.Finding]:
        filters = FindingFilters(
            states=wanted.state or ("open", "acknowledged"),
            kinds=wanted.kind or (),
            mac=wanted.address,
            switch=wanted.switch,
            part_of=None if wanted.parts else "",
            since=wanted.since,
        )
        return _pages(
            lambda cursor: self._findings.page(filters, cursor, _PAGE),
            lambda one: present_finding(one, self._worker.clears_at),
        )

    def _difference_rows(self, wanted: ExportFilter) -> Iterator[api.Difference]:
        if wanted.since is None:
            raise AssertionError("checked before: the list needs it")
        since = wanted.since
        return _pages(
            lambda cursor: self._differences.page(
                since, wanted.until, wanted.switch, wanted.group, cursor, _PAGE
            ),
            present_difference,
        )

    def _roll_call_rows(self, wanted: ExportFilter) -> Iterator[api.RollCallPort]:
        cursor: str | None = None
        while True:
            view = self._roll_calls.all(
                _level(wanted), broken=False, without_rule=False, cursor=cursor, limit=_PAGE
            )
            yield from map(present_called_port, view.ports)
            cursor = view.next
            if cursor is None:
                return

    def _absent_rows(self, wanted: ExportFilter) -> Iterator[api.AbsentEntry]:
        yield from map(present_absent, self._roll_calls.absent(_level(wanted)))

    def _vlan_rows(self, wanted: ExportFilter) -> Iterator[api.VlanSummary]:
        yield from map(present_vlan, self._vlans.all())


def _level(wanted: ExportFilter) -> Level:
    return Level(wanted.group or "", wanted.switch or "", wanted.port or "")


M = TypeVar("M", bound=BaseModel)


def _pages(fetch: Callable[[str | None], Page[T]], present: Callable[[T], M]) -> Iterator[M]:
    cursor: str | None = None
    while True:
        page = fetch(cursor)
        yield from map(present, page.items)
        if page.next is None:
            return
        cursor = page.next


def _started(rows: Iterator[BaseModel]) -> Iterator[BaseModel]:
    first = next(rows, None)

    def all_rows() -> Iterator[BaseModel]:
        if first is not None:
            yield first
            yield from rows

    return all_rows()
