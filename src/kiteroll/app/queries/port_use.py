"""Ports that are not used as they could be: unused for long, up and silent, slow."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from kiteroll.app.inventory_names import InventoryNames
from kiteroll.app.queries.ports import PortQueries, PortView
from kiteroll.clock import Clock
from kiteroll.core.model.link_change import unchanged_since
from kiteroll.core.model.odd_links import Link, LinkOddity, odd_links
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.reading import Oper
from kiteroll.store import inventory, port_history
from kiteroll.store.database import Database
from kiteroll.store.inventory import SwitchRow

_MEGABIT = 1_000_000


class Waste(StrEnum):
    UNUSED = "unused"
    SILENT = "silent"
    SLOW = LinkOddity.SLOW.value
    HALF_DUPLEX = LinkOddity.HALF_DUPLEX.value


@dataclass(frozen=True, slots=True)
class WastedPort:
    port: PortRef
    alias: str
    what: Waste
    since: datetime | None
    why: str


class PortUseQueries:
    def __init__(self, database: Database, ports: PortQueries, clock: Clock) -> None:
        self._database = database
        self._ports = ports
        self._clock = clock

    def by_use(self, unused_for: timedelta, switch: str | None, group: str | None) -> list[WastedPort]:
        """By switch and port. Raises NotFound for a switch or a group that is not there."""
        inventoried = self._database.run(inventory.all_switches)
        InventoryNames.of(inventoried).check(switches=(switch,), groups=(group,))
        rows = [
            row
            for row in inventoried
            if (switch is None or row.name == switch) and (group is None or group in row.in_groups)
        ]
        return [one for row in rows for one in self._of(row, self._clock.now() - unused_for)]

    def _of(self, row: SwitchRow, before: datetime) -> list[WastedPort]:
        views = [
            one
            for one in self._ports.of_switch(row.name, None)
            if one.row.bridged and one.row.there and not one.role.is_uplink
        ]
        last_used = self._database.run(port_history.last_used, row.id)
        found = [one for view in views for one in _unused(row, view, last_used.get(view.row.id), before)]
        found += [
            WastedPort(
                (row.name, view.row.name), view.row.alias, Waste.SILENT, view.silent_since, "up, no address"
            )
            for view in views
            if view.silent_since is not None
        ]
        return found + _odd(row.name, views)


def _unused(
    switch: SwitchRow, view: PortView, last_used: datetime | None, before: datetime
) -> list[WastedPort]:
    """Nobody was there since, and its link was not up since."""
    row = view.row
    if row.present or row.quiet or row.oper == Oper.UP.value:
        return []
    link_since = unchanged_since(row.oper_since, row.changed_ticks, switch.uptime_ticks, switch.uptime_at)
    if link_since is None:
        return []
    since = link_since if last_used is None else max(link_since, last_used)
    if since > before:
        return []
    why = "no link, and nobody was ever seen" if last_used is None else "no link, and nobody since"
    read_since = switch.read_since
    if row.changed_ticks is None and read_since is not None and since < read_since:
        why += f"; it was not read for a while before {read_since:%Y-%m-%d %H:%MZ}"
    return [WastedPort((row.switch_name, row.name), row.alias, Waste.UNUSED, since, why)]


def _odd(switch: str, views: Sequence[PortView]) -> list[WastedPort]:
    up = {view.row.name: view.row for view in views if view.row.oper == Oper.UP.value}
    links = [Link(name, row.speed_bps, row.duplex) for name, row in up.items()]
    found = []
    for name, what, usual in odd_links(links):
        row = up[name]
        beside = f"; most ports of {switch} run at {usual // _MEGABIT} Mb/s" if usual else ""
        speed = f"{(row.speed_bps or 0) // _MEGABIT} Mb/s" if row.speed_bps else "unknown speed"
        why = f"{speed}, {row.duplex or 'unknown'} duplex{beside}"
        found.append(WastedPort((switch, name), row.alias, Waste(what.value), row.oper_since, why))
    return found
