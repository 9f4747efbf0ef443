"""What an action would come to: the object and its value now, who is on the port, what speaks against it."""

import asyncio
import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta

from kiteroll.app.port_actions.vital_addresses import VitalAddresses
from kiteroll.app.queries.endpoints import EndpointQueries, EndpointView
from kiteroll.app.topology_view import TopologyView
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.clock import Clock
from kiteroll.collect.credential import make_target
from kiteroll.collect.limits import Limits as ReadingLimits
from kiteroll.collect.snmp_client import Target
from kiteroll.collect.switch_writer import WrittenObject, wanted_value, writing, written_object
from kiteroll.core.errors import Conflict, DeviceLied, NotFound
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.nearest import did_you_mean, ports_hint
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.reading import mac_of
from kiteroll.core.model.shared_addresses import is_shared
from kiteroll.core.port_actions.actions import ObjectWrite, Wanted
from kiteroll.core.port_actions.guards import Limits, Objection, PortFacts, objections
from kiteroll.core.topology.neighbours import is_switch
from kiteroll.store import finding_inputs, inventory, list_queries, port_actions, port_closures
from kiteroll.store.database import Database
from kiteroll.store.inventory import SwitchRow
from kiteroll.store.list_queries import PortRow
from kiteroll.store.neighbours import NeighbourRow, neighbours_of
from kiteroll.store.vault import Vault

_HOUR = timedelta(hours=1)
_SHOWN = 50
"""Endpoints of a port that a plan lists."""
_ROUTER = "router"


@dataclass(frozen=True, slots=True, kw_only=True)
class ActionPlan:
    wanted: Wanted
    way: "Way"
    write: ObjectWrite
    present: tuple[EndpointView, ...] = ()
    """Who is on the port, the first 50."""
    present_count: int = 0
    objections: tuple[Objection, ...] = ()

    @property
    def credential(self) -> str:
        """Name of the one it is written with."""
        return self.way.switch.write_credential or ""

    @property
    def changes_nothing(self) -> bool:
        return self.write.was == self.write.to


@dataclass(frozen=True, slots=True)
class Way:
    """How a switch is written."""

    switch: SwitchRow
    target: Target
    limits: ReadingLimits
    object: WrittenObject
    ports: Sequence[PortRow] = ()
    """All of the switch, where it is about one of them."""
    port: PortRow | None = None


class ActionPlanner:
    def __init__(
        self,
        database: Database,
        vault: Vault,
        fleet: TrackedFleet,
        topology: TopologyView,
        endpoints: EndpointQueries,
        vital: VitalAddresses,
        limits: Callable[[], Limits],
        reading_limits: ReadingLimits,
        clock: Clock,
    ) -> None:
        self._database = database
        self._vault = vault
        self._fleet = fleet
        self._topology = topology
        self._endpoints = endpoints
        self._vital = vital
        self._limits = limits
        self._reading_limits = reading_limits
        self._clock = clock

    async def plan(self, wanted: Wanted, client: str = "") -> ActionPlan:
        """Asks the switch what the object says now. `client`: address the call came from. Raises NotFound,
        Conflict where the switch is not written, DeviceError, StorageUnavailable."""
        way = await asyncio.to_thread(self.way, wanted)
        was = await self.read(way)
        to = wanted_value(wanted.kind, wanted.value)
        write = ObjectWrite(way.object.name, was, to)
        against, present = await asyncio.to_thread(self._around, wanted, way, client)
        return ActionPlan(
            wanted=wanted,
            way=way,
            write=write,
            present=tuple(await asyncio.to_thread(self._endpoints.known, present[:_SHOWN])),
            present_count=len(present),
            objections=tuple(against),
        )

    def way(self, wanted: Wanted) -> Way:
        """Raises NotFound, or Conflict where the switch is not written."""
        row = self._database.run(inventory.get_switch, wanted.switch)
        if row.write_sealed is None:
            raise Conflict(
                f"{row.name} is only read: give it a credential to write with "
                f"(`kiteroll switch change {row.name} --write-credential NAME`)"
            )
        target = make_target(row.host, row.udp_port, json.loads(self._vault.open(row.write_sealed)))
        limits = self._reading_limits.of_switch(row.timeout_s, row.tries)
        if not wanted.kind.of_port:
            return Way(row, target, limits, written_object(wanted.kind, None))
        ports = self._database.run(list_queries.ports_of, row.id)
        port = _named(ports, wanted)
        return Way(row, target, limits, written_object(wanted.kind, port.number), ports, port)

    async def read(self, way: Way) -> str:
        """What the object says now. Raises DeviceError: also where another port has that number now."""
        port = way.port
        agent, writer = writing(way.target, self._clock, way.limits)
        async with agent:
            value, name = await writer.read(way.object, port.number if port else None)
        if port is not None and name and not _same_port(port.name, name, port.number):
            raise DeviceLied(
                way.target.address,
                f"interface {port.number} is {name!r} there now, not {port.name!r}: read the switch again",
            )
        if value is None:
            raise DeviceLied(way.target.address, f"it does not report {way.object.name}")
        return value

    def _around(self, wanted: Wanted, way: Way, client: str) -> tuple[list[Objection], list[MacAddress]]:
        facts, present = PortFacts(), list[MacAddress]()
        if way.port is not None:
            present = self._present((wanted.switch, wanted.port))
            facts = self._facts(way.switch, way.port, way.ports, present, client)
        return objections(wanted.kind, facts, self._limits(), self._clock.now()), present

    def _present(self, port: PortRef) -> list[MacAddress]:
        table = self._fleet.tracker.table(port[0])
        numbers = {number for number, name in table.names.items() if name == port[1]}
        return sorted({mac_of(key) for key, number in table.learned.items() if number in numbers})

    def _facts(
        self,
        row: SwitchRow,
        port: PortRow,
        ports: Sequence[PortRow],
        present: list[MacAddress],
        client: str,
    ) -> PortFacts:
        there = [one for one in self._database.run(neighbours_of, row.id) if one.port_name == port.name]
        vital = self._vital.known(client)
        closed = self._database.run(port_closures.open_closures)
        here = sum(one.closure.port[0] == row.name for one in closed)
        every, _ = self._database.run(port_actions.closed_since, self._clock.now() - _HOUR)
        return PortFacts(
            role=self._topology.now().topology.role((row.name, port.name)),
            bundled=port.aggregate is not None or any(one.aggregate == port.name for one in ports),
            bridge=_unknown_bridge(there),
            router=self._router(there, present),
            vital={str(mac): vital[mac] for mac in present if mac in vital},
            closed_lately=every,
            closed_here=here,
            ports_in_use=here + sum(one.oper == "up" for one in ports),
            complete_at=row.last_complete_at,
            interval=timedelta(seconds=row.interval_s),
        )

    def _router(self, there: list[NeighbourRow], present: list[MacAddress]) -> str:
        for one in there:
            if _ROUTER in one.capabilities:
                return one.name or one.chassis
        prefixes: Mapping[str, str] = self._database.run(finding_inputs.shared_addresses)
        return next((str(mac) for mac in present if is_shared(mac, prefixes)), "")


def _named(ports: Sequence[PortRow], wanted: Wanted) -> PortRow:
    """Raises NotFound."""
    for one in ports:
        if one.name == wanted.port:
            return one
    names = [one.name for one in ports]
    raise NotFound("port", wanted.port, did_you_mean(wanted.port, names, ports_hint(wanted.switch)))


def _same_port(name: str, described: str, interface: int) -> bool:
    """Doubled names have the number of their interface behind them, or are cut."""
    return name in (described, f"{described} #{interface}") or described.startswith(name)


def _unknown_bridge(there: list[NeighbourRow]) -> str:
    for one in there:
        if one.known_as is None and is_switch(one.capabilities):
            return one.name or one.chassis
    return ""
