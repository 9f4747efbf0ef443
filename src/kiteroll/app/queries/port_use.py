"""Ports that are not used as they could be: unused for long, up and silent, slow."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from operator import attrgetter

from kiteroll.app.inventory_names import InventoryNames
from kiteroll.app.queries.ports import PortQueries, PortView
from kiteroll.clock import Clock
from kiteroll.core.model.link_change import unchanged_since
from kiteroll.core.model.poor_use import Link, PoorUse, odd_links, unused
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.reading import Oper
from kiteroll.store import inventory, port_history
from kiteroll.store.database import Database
from kiteroll.store.inventory import SwitchRow
from kiteroll.wording.ports import SILENT, odd_link_text, unused_text


@dataclass(frozen=True, slots=True)
class PoorlyUsedPort:
    port: PortRef
    alias: str
    use: PoorUse
    since: datetime | None
    why: str


class PortUseQueries:
    def __init__(self, database: Database, ports: PortQueries, clock: Clock) -> None:
        self._database = database
        self._ports = ports
        self._clock = clock

    def by_use(
        self, unused_for: timedelta, switch: str | None, group: str | None, first: str | None = None
    ) -> Iterator[PoorlyUsedPort]:
        """By switch and port, from switch `first` on, or the one that follows it where it is not there; each
        switch is looked at when it is its turn. Raises NotFound for a switch or a group that is not there."""
        inventoried = self._database.run(inventory.all_switches)
        InventoryNames.of(inventoried).check(switches=(switch,), groups=(group,))
        rows = [
            row
            for row in inventoried
            if (switch is None or row.name == switch)
            and (group is None or group in row.in_groups)
            and row.name >= (first or "")
        ]
        before = self._clock.now() - unused_for
        return (one for row in sorted(rows, key=attrgetter("name")) for one in self._of(row, before))

    def _of(self, row: SwitchRow, before: datetime) -> Iterator[PoorlyUsedPort]:
        views = [
            one
            for one in self._ports.of_id(row.id)
            if one.row.bridged and one.row.there and not one.role.is_uplink
        ]
        yield from self._unused(row, views, before)
        for view in views:
            if view.silent_since is not None:
                yield _found(view, PoorUse.SILENT, view.silent_since, SILENT)
        yield from _odd(row.name, views)

    def _unused(
        self, switch: SwitchRow, views: Sequence[PortView], before: datetime
    ) -> Iterator[PoorlyUsedPort]:
        last_used = self._database.run(port_history.last_used, switch.id)
        for view in views:
            row = view.row
            if row.present or row.quiet or row.oper == Oper.UP.value:
                continue
            ticks = row.changed_ticks
            link_since = unchanged_since(row.oper_since, ticks, switch.uptime_ticks, switch.uptime_at)
            if link_since is None:
                continue
            used = last_used.get(row.id)
            found = unused(link_since, used, switch.read_since, before, reported=ticks is not None)
            if found is not None:
                yield _found(view, PoorUse.UNUSED, found.since, unused_text(found))


def _odd(switch: str, views: Sequence[PortView]) -> Iterator[PoorlyUsedPort]:
    up = {view.row.name: view for view in views if view.row.oper == Oper.UP.value}
    for one in odd_links([Link(name, view.row.speed_bps, view.row.duplex) for name, view in up.items()]):
        view = up[one.link.port]
        yield _found(view, one.use, view.row.oper_since, odd_link_text(one, switch))


def _found(view: PortView, use: PoorUse, since: datetime | None, why: str) -> PoorlyUsedPort:
    return PoorlyUsedPort((view.row.switch_name, view.row.name), view.row.alias, use, since, why)
