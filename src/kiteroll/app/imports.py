"""Imports readings: documents and CSV tables, by call or from a watched folder."""

import asyncio
import logging
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import UTC, datetime, timedelta
from itertools import count
from pathlib import Path
from typing import Any

from kiteroll.app.csv_mappings import CsvMappings, make_mapping
from kiteroll.app.ingest import Outcome, ReadingIngestor, import_result
from kiteroll.app.logs import fields
from kiteroll.clock import Clock
from kiteroll.collect.csv_table import read_table
from kiteroll.core.errors import Conflict, Invalid, KiteRollError, NotFound, StorageUnavailable
from kiteroll.core.model.reading import Reading
from kiteroll.store import inventory
from kiteroll.store.database import Database

log = logging.getLogger(__name__)
_CLOCK_TOLERANCE = timedelta(minutes=5)
"""How far ahead of ours the clock of whoever took a reading may be."""
_MAX_OCTETS = 64 * 1024 * 1024
_CHECK_EVERY_S = 5.0

ParseDocuments = Callable[[str, str], list[Reading]]
"""The readings of a text and the name of its file. Raises Invalid with line and column."""


class Importer:
    def __init__(
        self, database: Database, ingestor: ReadingIngestor, mappings: CsvMappings, clock: Clock
    ) -> None:
        self._database = database
        self._mappings = mappings
        self._ingestor = ingestor
        self._clock = clock

    async def import_readings(self, readings: Sequence[Reading]) -> list[Outcome]:
        """Store them, earliest first; all are checked before the first is stored.

        Raises NotFound (no such switch), Conflict (it has a later reading) or Invalid (its time is
        ahead of ours).
        """
        ordered = sorted(readings, key=lambda reading: reading.taken_at)
        names = {reading.switch for reading in readings}
        rows = await asyncio.to_thread(self._database.run, inventory.switches_named, names)
        last = {name: row.last_at for name, row in rows.items()}
        for reading in ordered:
            if reading.switch not in rows:
                hint = f"`kiteroll switch add {reading.switch} --source files` adds one to import for"
                raise NotFound("switch", reading.switch, hint)
            self._check_time(reading, last[reading.switch])
            last[reading.switch] = reading.taken_at
        stored = []
        for reading in ordered:
            row = rows[reading.switch]
            outcome = await self._ingestor.ingest(import_result(row.id, reading, row.next_try_at))
            if outcome is not None:
                stored.append(outcome)
        return stored

    def table_reading(
        self, switch: str, taken_at: datetime, text: str, mapping: Mapping[str, Any], file: str
    ) -> Reading:
        """The reading a CSV table holds. Raises NotFound, or Invalid naming file, line and column."""
        row = self._database.run(inventory.get_switch, switch)
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


class ImportFolderWatcher:
    """A folder for files: `*.json` and `*.jsonl` hold reading documents, `M/S.csv` is the table of switch
    S, understood by mapping M. A file that was imported goes to `imported/`, one that was not to
    `refused/` with the reason beside it; one that is still growing is left alone."""

    def __init__(self, importer: Importer, folder: Path, clock: Clock, parse: ParseDocuments) -> None:
        self._parse = parse
        self._importer = importer
        self._folder = folder
        self._clock = clock
        self._sizes: dict[Path, tuple[int, float]] = {}

    async def run(self) -> None:
        while True:
            try:
                for file in await asyncio.to_thread(self._complete_files):
                    await self._import(file)
            except StorageUnavailable as away:
                log.warning("files wait for the database", extra=fields("import.wait", error=str(away)))
            except OSError as wrong:
                log.error("the import folder cannot be read", extra=fields("import.folder", error=str(wrong)))
            await self._clock.sleep(_CHECK_EVERY_S)

    def _complete_files(self) -> list[Path]:
        """Files whose size and time have not changed since the last check."""
        self._folder.mkdir(parents=True, exist_ok=True)
        found = [
            file
            for pattern in ("*.json", "*.jsonl", "*/*.csv")
            for file in sorted(self._folder.glob(pattern))
            if file.is_file() and file.parent.name not in ("imported", "refused")
        ]
        sizes = {file: (file.stat().st_size, file.stat().st_mtime) for file in found}
        complete = [file for file in found if self._sizes.get(file) == sizes[file]]
        self._sizes = sizes
        return complete

    async def _import(self, file: Path) -> None:
        """The boundary of one file: whatever is wrong with it is told beside it."""
        try:
            readings = await asyncio.to_thread(self._read, file)
            stored = await self._importer.import_readings(readings)
        except StorageUnavailable:
            raise
        except KiteRollError as wrong:
            await self._refuse(file, str(wrong))
        except Exception as bug:
            log.exception("internal error while importing", extra=fields("import.bug", file=file.name))
            await self._refuse(file, f"internal error: {type(bug).__name__}: {bug}")
        else:
            await asyncio.to_thread(self._move, file, "imported", "")
            log.info("file imported", extra=fields("import.done", file=file.name, readings=len(stored)))

    async def _refuse(self, file: Path, reason: str) -> None:
        log.warning("file refused", extra=fields("import.refused", file=file.name, error=reason))
        await asyncio.to_thread(self._move, file, "refused", reason)

    def _read(self, file: Path) -> list[Reading]:
        stat = file.stat()
        if stat.st_size > _MAX_OCTETS:
            raise Invalid(f"{file.name}: it is larger than {_MAX_OCTETS >> 20} MiB")
        try:
            text = file.read_text(encoding="utf-8-sig")
        except UnicodeDecodeError as wrong:
            raise Invalid(f"{file.name}: it is not UTF-8 text: {wrong}") from wrong
        if file.suffix != ".csv":
            return self._parse(text, file.name)
        mapping = self._importer.named_mapping(file.parent.name)
        taken_at = datetime.fromtimestamp(stat.st_mtime, UTC)
        return [self._importer.table_reading(file.stem, taken_at, text, mapping, file.name)]

    def _move(self, file: Path, where: str, reason: str) -> None:
        to = self._folder / where
        to.mkdir(exist_ok=True)
        stamp = self._clock.now().strftime("%Y%m%dT%H%M%S")
        names = (f"{file.stem}-{stamp}{extra}{file.suffix}" for extra in _extras())
        moved = next(to / name for name in names if not (to / name).exists())
        file.replace(moved)
        if reason:
            moved.with_suffix(".reason.txt").write_text(f"{reason}\n")


def _extras() -> Iterator[str]:
    """What tells apart files of one name that are moved within one second."""
    yield ""
    for number in count(2):
        yield f"-{number}"
