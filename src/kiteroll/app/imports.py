"""Imports readings: documents and CSV tables."""

import asyncio
from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from typing import Any

from kiteroll.app.csv_mappings import CsvMappings, make_mapping
from kiteroll.app.events import ReadingFailed, ReadingStored
from kiteroll.app.ingest import ReadingIngestor, import_result
from kiteroll.clock import Clock
from kiteroll.collect.csv_table import read_table
from kiteroll.core.errors import Conflict, Invalid, NotFound
from kiteroll.core.model.reading import Reading
from kiteroll.store import inventory
from kiteroll.store.database import Database

_CLOCK_TOLERANCE = timedelta(minutes=5)
"""How far ahead of ours the clock of whoever took a reading may be."""


class Importer:
    def __init__(
        self, database: Database, ingestor: ReadingIngestor, mappings: CsvMappings, clock: Clock
    ) -> None:
        self._database = database
        self._mappings = mappings
        self._ingestor = ingestor
        self._clock = clock

    async def import_readings(self, readings: Sequence[Reading]) -> list[ReadingStored]:
        """Store them, earliest first; all are checked before the first is stored.

        Raises NotFound (no such switch), Conflict (it has a later reading), or Invalid (its time is ahead
        of ours, or it could not be stored: what was stored before it stays).
        """
        ordered = sorted(readings, key=lambda reading: reading.taken_at)
        names = {reading.switch for reading in readings}
        rows = await asyncio.to_thread(self._database.run, inventory.switches_named, names)
        last = {name: row.last_at for name, row in rows.items()}
        for reading in ordered:
            if reading.switch not in rows:
                raise _not_in_inventory(reading.switch)
            self._check_time(reading, last[reading.switch])
            last[reading.switch] = reading.taken_at
        stored: list[ReadingStored] = []
        for reading in ordered:
            row = rows[reading.switch]
            outcome = await self._ingestor.ingest(import_result(row.id, reading, row.next_try_at))
            if outcome is None:
                raise NotFound("switch", reading.switch, "it was removed or renamed meanwhile")
            if isinstance(outcome, ReadingFailed):
                raise Invalid(
                    f"the reading of {reading.switch} of {reading.taken_at.isoformat()} was not stored: "
                    f"{outcome.error}. Of the {len(ordered)} readings given, {len(stored)} before it were"
                )
            stored.append(outcome)
        return stored

    def table_reading(
        self, switch: str, taken_at: datetime, text: str, mapping: Mapping[str, Any], file: str
    ) -> Reading:
        """The reading a CSV table holds. Raises NotFound, or Invalid naming file, line and column."""
        try:
            row = self._database.run(inventory.get_switch, switch)
        except NotFound:
            raise _not_in_inventory(switch) from None
        known = self._database.run(inventory.port_numbers, row.id)
        return read_table(switch, taken_at, text, make_mapping(mapping), known, file)

    def named_mapping(self, name: str) -> Mapping[str, Any]:
        """Raises NotFound."""
        return self._mappings.get(name)

    def _check_time(self, reading: Reading, before: datetime | None) -> None:
        at = reading.taken_at.isoformat()
        if reading.taken_at > self._clock.now() + _CLOCK_TOLERANCE:
            raise Invalid(
                f"the reading of {reading.switch} is dated {at}, which is in the future: check its clock"
            )
        if before is not None and reading.taken_at <= before:
            raise Conflict(
                f"{reading.switch} already has a reading of {before.isoformat()}, and this one ({at}) is not "
                "later: readings are imported in order of time"
            )


def _not_in_inventory(switch: str) -> NotFound:
    return NotFound("switch", switch, f"`kiteroll switch add {switch} --source files` adds one to import for")
