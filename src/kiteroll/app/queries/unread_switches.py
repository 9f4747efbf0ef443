"""Switches that were not read around an instant: what is known of it there is as of the reading before."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.app.inventory_names import InventoryNames
from kiteroll.app.queries.as_of import past_instant
from kiteroll.clock import Clock
from kiteroll.core.tracking.pauses import unread_around
from kiteroll.store import former_switches, inventory
from kiteroll.store.database import Database
from kiteroll.store.whole_readings import readings_around


@dataclass(frozen=True, slots=True)
class UnreadSwitch:
    name: str
    read_before: datetime | None
    """Its latest whole reading by then; None: none is on record."""
    read_after: datetime | None
    """The first one behind it; None: there is none yet."""


class UnreadSwitches:
    def __init__(self, database: Database, clock: Clock) -> None:
        self._database = database
        self._clock = clock

    def at(self, at: datetime | None, switch: str | None, group: str | None) -> list[UnreadSwitch]:
        """By name, of those that are in the inventory and were then. None: now. Raises Invalid for an instant
        to come, or NotFound for a group that is not there, or a switch that never was."""
        now = self._clock.now()
        instant = past_instant(self._clock, at) or now
        rows = self._database.run(inventory.all_switches)
        InventoryNames.of(rows).check(groups=(group,))
        if switch is not None:
            self._database.run(former_switches.ids_called, switch)
        rows = [
            row
            for row in rows
            if (switch is None or row.name == switch) and (group is None or group in row.in_groups)
        ]
        read_since = [row.id for row in rows if row.last_complete_at and row.last_complete_at > instant]
        around = self._database.run(readings_around, read_since, instant)
        found = []
        for row in rows:
            before, after = around.get(row.id, (row.last_complete_at, None))
            if before is None and row.added_at > instant:
                continue
            if unread_around(before, after, row.ageing, timedelta(seconds=row.interval_s), now):
                found.append(UnreadSwitch(row.name, before, after))
        return found
