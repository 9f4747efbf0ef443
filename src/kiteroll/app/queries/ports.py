"""Ports: what each is for, who is on it, and how that was over time."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from kiteroll.app.queries.as_of import past_instant
from kiteroll.app.queries.endpoints import find_port
from kiteroll.app.topology_view import NetworkView, TopologyView
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.clock import Clock
from kiteroll.core.findings.kinds.silent_port import PortActivity, silent_since, up_since
from kiteroll.core.model.address_counts import counts_over_time
from kiteroll.core.model.port_use import PortUse, port_use
from kiteroll.core.model.reading import Oper
from kiteroll.core.topology.roles import PortRole
from kiteroll.store import former_switches, inventory, list_queries, port_history, stay_queries
from kiteroll.store.database import Database
from kiteroll.store.list_queries import PortRow
from kiteroll.store.port_history import LinkChange
from kiteroll.store.topology import set_operator_role

_NO_TIME = timedelta(0)


@dataclass(frozen=True, slots=True)
class PortView:
    row: PortRow
    role: PortRole
    use: PortUse
    silent_since: datetime | None
    """Since when it is up with no address learned; None when it is not."""


class PortQueries:
    def __init__(
        self,
        database: Database,
        topology: TopologyView,
        fleet: TrackedFleet,
        clock: Clock,
    ) -> None:
        self._database = database
        self._topology = topology
        self._fleet = fleet
        self._clock = clock

    def of_switch(self, switch: str, at: datetime | None) -> list[PortView]:
        """Its ports by number. As of an instant: with who was on them, how their links were as far as
        that was recorded, and what they led to; names, labels and VLANs are those of now. Raises
        NotFound."""
        at = past_instant(self._clock, at)
        if at is not None:
            return self._as_of(self._database.run(former_switches.switch_then, switch, at), at)
        return self.of_id(self._database.run(inventory.get_switch, switch).id)

    def of_id(self, switch_id: int) -> list[PortView]:
        """The same, of a switch in the inventory by its id."""
        return self.views(self._database.run(list_queries.ports_of, switch_id))

    def get(self, switch: str, port: str, at: datetime | None) -> PortView:
        """Raises NotFound."""
        find_port(self._database, switch, port, past=at is not None, at=at)
        return next(one for one in self.of_switch(switch, at) if one.row.name == port)

    def views(self, rows: Sequence[PortRow]) -> list[PortView]:
        view, now = self._topology.now(), self._clock.now()
        tracker = self._fleet.tracker
        return [_view(row, view, now, tracker.present(row.switch_name)) for row in rows]

    def set_role(self, switch: str, port: str, role: str | None) -> PortView:
        """None removes what the operator set. Raises NotFound."""
        self._database.run(set_operator_role, find_port(self._database, switch, port), role)
        self._topology.refresh()
        return self.get(switch, port, None)

    def address_counts(self, switch: str, port: str, back: timedelta) -> list[tuple[datetime, int]]:
        """How many addresses were there over time: steps, earliest first. Raises NotFound."""
        now = self._clock.now()
        port_id = find_port(self._database, switch, port, past=True)
        intervals = self._database.run(stay_queries.intervals_of_port, port_id, now - back)
        return counts_over_time(intervals, now - back, now)

    def link_history(self, switch: str, port: str, back: timedelta, limit: int) -> list[LinkChange]:
        """What became of its link, latest first. Raises NotFound."""
        port_id = find_port(self._database, switch, port, past=True)
        return self._database.run(port_history.links_of_port, port_id, self._clock.now() - back, limit)

    def _as_of(self, switch_id: int, at: datetime) -> list[PortView]:
        view = self._topology.at(at)
        then = self._database.run(port_history.ports_at, switch_id, at)
        carried = [number for number, (present, quiet, _) in then.items() if present or quiet]
        in_table = sum(present + quiet for present, quiet, _ in then.values())
        found = []
        for row in self._database.run(list_queries.ports_of, switch_id, carried):
            present, quiet, link = then.get(row.id, (0, 0, None))
            oper, since = (link.oper, link.at) if link else ("unknown", None)
            known = replace(row, present=present, quiet=quiet, oper=oper, oper_since=since)
            found.append(_view(known, view, at, in_table, past=True))
        return found


def _view(row: PortRow, view: NetworkView, now: datetime, in_table: int, *, past: bool = False) -> PortView:
    """`in_table`: addresses in the table of its switch. `past`: whether it was shut then is not recorded."""
    oper = Oper(row.oper)
    since = up_since(
        row.oper_since,
        oper,
        admin_up=row.admin_up,
        bridged=row.bridged and row.there,
        bundled=row.aggregate is not None,
    )
    activity = PortActivity(
        switch=row.switch_name,
        port=row.name,
        alias=row.alias,
        up_since=since,
        present=row.present + row.quiet,
        in_table=in_table,
    )
    role = view.topology.role((row.switch_name, row.name))
    silent = silent_since(activity, view.topology, now, _NO_TIME)
    use = port_use(
        uplink=role.is_uplink,
        shut=row.there and not row.admin_up and not past,
        oper=oper,
        present=row.present,
        quiet=row.quiet,
        silent=silent is not None,
    )
    return PortView(row, role, use, silent)
