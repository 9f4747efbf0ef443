"""The files of `kiteroll replay`: readings merged by time, and rules of ports in TOML."""

import gzip
from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime
from heapq import merge
from pathlib import Path

from kiteroll.core.errors import Invalid, InvalidParts
from kiteroll.core.model.reading import Reading
from kiteroll.core.policy.roll import BarredList
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.schemas.reading_files import read_readings
from kiteroll.schemas.rules_file import parse_rules

_MAX_OCTETS = 4 * 1024**3
"""Of one file, unpacked."""


def readings_of(files: Sequence[Path]) -> Iterator[Reading]:
    """Every reading of these files, merged by time; within a file the order is kept, even where its
    times step back. Raises Invalid naming file, line and column."""
    streams = [_in_file_order(number, _readings(file)) for number, file in enumerate(files)]
    for *_, reading in merge(*streams, key=lambda each: each[:3]):
        yield reading


def _in_file_order(number: int, readings: Iterable[Reading]) -> Iterator[tuple[datetime, int, int, Reading]]:
    """Each with what it is merged by: the latest time so far in its file, then file and line."""
    latest: datetime | None = None
    for line, reading in enumerate(readings):
        latest = reading.taken_at if latest is None else max(latest, reading.taken_at)
        yield latest, number, line, reading


def _readings(file: Path) -> Iterator[Reading]:
    yield from read_readings(_text(file), file.name)


def _text(file: Path) -> str:
    try:
        with gzip.open(file, "rb") if file.suffix == ".gz" else file.open("rb") as stream:
            octets = stream.read(_MAX_OCTETS + 1)
    except (OSError, EOFError) as wrong:
        raise Invalid(f"{file} cannot be read: {wrong}") from wrong
    if len(octets) > _MAX_OCTETS:
        raise Invalid(f"{file} is larger than {_MAX_OCTETS >> 30} GiB")
    try:
        return octets.decode("utf-8-sig")
    except UnicodeDecodeError as wrong:
        raise Invalid(f"{file} is not UTF-8 text: {wrong}") from wrong


def read_rules(file: Path) -> RuleBook:
    """Rules of ports from TOML, as `kiteroll rule export` writes them. Raises Invalid naming everything that
    is wrong, and for rules of groups: readings have none."""
    try:
        rules = parse_rules(file.read_text(encoding="utf-8"))
    except OSError as wrong:
        raise Invalid(f"{file} cannot be read: {wrong.strerror}") from wrong
    except UnicodeDecodeError as wrong:
        raise Invalid(f"{file} is not UTF-8 text: {wrong}") from wrong
    except InvalidParts as wrong:
        raise InvalidParts(str(file), wrong.problems) from wrong
    if groups := sorted(level.group for level in rules.rules if level.group):
        raise Invalid(f"{file}: group.{groups[0]}: readings have no groups; set it for the switches")
    return RuleBook(rules=rules.rules, barred=BarredList(rules.barred))
