"""Readings that are brought: documents and CSV tables, by call or laid into a folder."""

import asyncio
import logging
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kiteroll.collect.csv_table import TableMapping, read_table
from kiteroll.collect.rounds import Attempt
from kiteroll.core.errors import Conflict, Invalid, KiteRollError, NotFound, StorageUnavailable
from kiteroll.core.reading import Reading
from kiteroll.schemas.reading_convert import from_document
from kiteroll.schemas.reading_files import read_documents
from kiteroll.service.logs import fields
from kiteroll.store import inventory, mappings

if TYPE_CHECKING:
    from kiteroll.service.life import Service

log = logging.getLogger(__name__)
_AHEAD = timedelta(minutes=5)
"""How far ahead of ours the clock of whoever took a reading may be."""
_MOST_OCTETS = 64 * 1024 * 1024
_LOOK_EVERY_S = 5.0


async def take_readings(service: "Service", readings: Sequence[Reading]) -> list[Attempt]:
    """Keep them, earliest first; all are checked before the first is kept.

    Raises NotFound (no such switch), Conflict (it was read later already) or Invalid (its time is
    ahead of ours).
    """
    ordered = sorted(readings, key=lambda reading: reading.taken_at)
    names = {reading.switch for reading in readings}
    rows = await asyncio.to_thread(service.database.run, inventory.switches_named, names)
    last = {name: row.last_at for name, row in rows.items()}
    for reading in ordered:
        if reading.switch not in rows:
            hint = f"`kiteroll switch add {reading.switch} --source files` makes it one that comes by file"
            raise NotFound("switch", reading.switch, hint)
        if reading.taken_at > service.clock.now() + _AHEAD:
            raise Invalid(
                f"the reading of {reading.switch} says it was taken at {reading.taken_at.isoformat()}, "
                "which is still to come: look at the clock there"
            )
        before = last[reading.switch]
        if before is not None and reading.taken_at <= before:
            raise Conflict(
                f"{reading.switch} has a reading of {before.isoformat()}, which is not earlier than this one "
                f"({reading.taken_at.isoformat()}): readings are taken in order of time"
            )
        last[reading.switch] = reading.taken_at
    kept = []
    for reading in ordered:
        row = rows[reading.switch]
        attempt = Attempt(
            switch=row.id,
            name=row.name,
            started_at=reading.taken_at,
            duration=reading.duration,
            outcome=reading,
            next_at=row.next_try_at,
        )
        kept.append(await service.intake.take(attempt))
    return kept


def table_reading(
    service: "Service", switch: str, taken_at: datetime, text: str, mapping: Mapping[str, Any], file: str
) -> Reading:
    """Raises NotFound, or Invalid naming file, line and column."""
    row = service.database.run(inventory.get_switch, switch)
    known = service.database.run(inventory.port_numbers, row.id)
    return read_table(switch, taken_at, text, make_mapping(mapping), known, file)


def make_mapping(values: Mapping[str, Any]) -> TableMapping:
    return TableMapping(**{**values, "learned": tuple(values.get("learned", ()))})


class Folder:
    """A folder that files are laid into: `*.json` and `*.jsonl` hold reading documents, `M/S.csv` is
    the table of switch S, understood by mapping M. A file that is taken goes to `taken/`, one that is
    not to `refused/` with the reason beside it; one that is still growing is left alone."""

    def __init__(self, service: "Service", folder: Path) -> None:
        self._service = service
        self._folder = folder
        self._sizes: dict[Path, tuple[int, float]] = {}

    async def watch(self) -> None:
        while True:
            try:
                for file in await asyncio.to_thread(self._settled):
                    await self._take(file)
            except StorageUnavailable as away:
                log.warning("files wait for the database", extra=fields("files.wait", error=str(away)))
            except OSError as wrong:
                log.error("the folder cannot be read", extra=fields("files.folder", error=str(wrong)))
            await self._service.clock.sleep(_LOOK_EVERY_S)

    def _settled(self) -> list[Path]:
        """Files whose size and time are as they were when they were looked at last."""
        self._folder.mkdir(parents=True, exist_ok=True)
        found = [
            file
            for pattern in ("*.json", "*.jsonl", "*/*.csv")
            for file in sorted(self._folder.glob(pattern))
            if file.is_file() and file.parent.name not in ("taken", "refused")
        ]
        sizes = {file: (file.stat().st_size, file.stat().st_mtime) for file in found}
        settled = [file for file in found if self._sizes.get(file) == sizes[file]]
        self._sizes = sizes
        return settled

    async def _take(self, file: Path) -> None:
        try:
            readings = await asyncio.to_thread(self._read, file)
            kept = await take_readings(self._service, readings)
        except StorageUnavailable:
            raise
        except KiteRollError as wrong:
            await asyncio.to_thread(self._put_away, file, "refused", str(wrong))
            log.warning("file refused", extra=fields("files.refused", file=file.name, error=str(wrong)))
        else:
            await asyncio.to_thread(self._put_away, file, "taken", "")
            log.info("file taken", extra=fields("files.taken", file=file.name, readings=len(kept)))

    def _read(self, file: Path) -> list[Reading]:
        stat = file.stat()
        if stat.st_size > _MOST_OCTETS:
            raise Invalid(f"{file.name}: it has more than {_MOST_OCTETS >> 20} MiB")
        try:
            text = file.read_text(encoding="utf-8-sig")
        except UnicodeDecodeError as wrong:
            raise Invalid(f"{file.name}: it is no UTF-8 text: {wrong}") from wrong
        if file.suffix != ".csv":
            return [from_document(one) for one in read_documents(text, file.name)]
        mapping = self._service.database.run(mappings.get_mapping, file.parent.name)
        taken_at = datetime.fromtimestamp(stat.st_mtime, UTC)
        return [table_reading(self._service, file.stem, taken_at, text, mapping, file.name)]

    def _put_away(self, file: Path, where: str, why: str) -> None:
        to = self._folder / where
        to.mkdir(exist_ok=True)
        stamp = self._service.clock.now().strftime("%Y%m%dT%H%M%S")
        kept = to / f"{file.stem}-{stamp}{file.suffix}"
        file.replace(kept)
        if why:
            kept.with_suffix(".why.txt").write_text(f"{why}\n")
