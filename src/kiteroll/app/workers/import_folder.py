"""Imports the files that are put into a folder."""

import asyncio
import logging
import os
import stat
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from itertools import count
from pathlib import Path

from kiteroll.app.imports import Importer
from kiteroll.app.logs import fields
from kiteroll.clock import Clock
from kiteroll.core.errors import Invalid, KiteRollError, StorageUnavailable
from kiteroll.core.model.reading import Reading
from kiteroll.private_file import write_private

log = logging.getLogger(__name__)
_MAX_OCTETS = 64 * 1024 * 1024
_CHECK_EVERY_S = 5.0
_LONGEST_REASON = 4000
_LONGEST_STEM = 50
"""Characters. Leaves room for what is put behind it: a name has at most 255 octets."""

ParseDocuments = Callable[[str, str], list[Reading]]
"""The readings of a text and the name of its file. Raises Invalid with line and column."""


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
        self._stuck: set[Path] = set()
        """Files that are dealt with and cannot be moved away: not to be imported, or reported, again."""

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
        sizes: dict[Path, tuple[int, float]] = {}
        for pattern in ("*.json", "*.jsonl", "*/*.csv"):
            for file in sorted(self._folder.glob(pattern)):
                if file.parent.name in ("imported", "refused"):
                    continue
                try:
                    found = file.lstat()
                except OSError:
                    continue  # gone meanwhile
                if not stat.S_ISDIR(found.st_mode):
                    sizes[file] = (found.st_size, found.st_mtime)
        complete = [file for file in sizes if self._sizes.get(file) == sizes[file]]
        self._sizes = sizes
        self._stuck &= sizes.keys()
        return [file for file in complete if file not in self._stuck]

    async def _import(self, file: Path) -> None:
        """The boundary of one file: whatever is wrong with it is written beside it, and ends there."""
        try:
            readings = await asyncio.to_thread(self._read, file)
            stored = await self._importer.import_readings(readings)
        except StorageUnavailable:
            raise
        except KiteRollError as wrong:
            await self._put_away(file, "refused", str(wrong))
        except Exception as bug:
            log.exception("internal error while importing", extra=fields("import.bug", file=file.name))
            await self._put_away(file, "refused", f"internal error: {type(bug).__name__}")
        else:
            log.info("file imported", extra=fields("import.done", file=file.name, readings=len(stored)))
            await self._put_away(file, "imported", "")

    def _read(self, file: Path) -> list[Reading]:
        text, written_at = _text_of(file)
        if file.suffix != ".csv":
            return self._parse(text, file.name)
        mapping = self._importer.named_mapping(file.parent.name)
        return [self._importer.table_reading(file.stem, written_at, text, mapping, file.name)]

    async def _put_away(self, file: Path, where: str, reason: str) -> None:
        if reason:
            log.warning("file refused", extra=fields("import.refused", file=file.name, error=reason))
        try:
            await asyncio.to_thread(self._move, file, where, reason)
        except OSError as wrong:
            # The others are not to wait for it.
            self._stuck.add(file)
            extra = fields("import.stuck", file=file.name, error=str(wrong))
            log.error("file cannot be moved away; it is left alone from now on", extra=extra)

    def _move(self, file: Path, where: str, reason: str) -> None:
        to = self._folder / where
        to.mkdir(exist_ok=True)
        stamp = self._clock.now().strftime("%Y%m%dT%H%M%S")
        names = (f"{file.stem[:_LONGEST_STEM]}-{stamp}{extra}{file.suffix}" for extra in _extras())
        moved = next(to / name for name in names if not os.path.lexists(to / name))
        why = moved.with_suffix(".reason.txt")
        if reason:
            write_private(why, reason[:_LONGEST_REASON])
        # Last: a file that lies there has its reason beside it, whatever ends the service when.
        try:
            file.rename(moved)
        except OSError:
            why.unlink(missing_ok=True)
            raise


def _text_of(file: Path) -> tuple[str, datetime]:
    """What a regular file holds, and when it was written. A link is not followed, and nothing is waited for:
    whoever may write to the folder is not to show us what only we may read. Raises Invalid."""
    try:
        opened = os.open(file, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
    except OSError as wrong:
        why = f"it cannot be opened: {wrong.strerror}. Links are not followed"
        raise Invalid(f"{file.name}: {why}") from wrong
    with os.fdopen(opened, "rb") as content:
        found = os.fstat(content.fileno())
        if not stat.S_ISREG(found.st_mode):
            raise Invalid(f"{file.name}: it is no regular file")
        octets = content.read(_MAX_OCTETS + 1)
    if len(octets) > _MAX_OCTETS:
        raise Invalid(f"{file.name}: it is larger than {_MAX_OCTETS >> 20} MiB")
    try:
        text = octets.decode("utf-8-sig")
    except UnicodeDecodeError as wrong:
        raise Invalid(f"{file.name}: it is not UTF-8 text, at octet {wrong.start}") from wrong
    try:
        return text, datetime.fromtimestamp(found.st_mtime, UTC)
    except (OverflowError, ValueError, OSError) as wrong:
        raise Invalid(f"{file.name}: the time it was written is out of range") from wrong


def _extras() -> Iterator[str]:
    """What tells apart files of one name that are moved within one second."""
    yield ""
    for number in count(2):
        yield f"-{number}"
