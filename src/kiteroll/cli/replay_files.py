"""The files of `kiteroll replay`: readings merged by time, and rules of ports in TOML."""

import gzip
import tomllib
from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime
from heapq import merge
from pathlib import Path
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from kiteroll.core.errors import Invalid
from kiteroll.core.model import bounds
from kiteroll.core.model.makers import ADDRESS_DIGITS, first_digits
from kiteroll.core.model.reading import Reading
from kiteroll.core.model.whole_number import whole_number
from kiteroll.core.policy.port_rules import Enrolled, Rule, RuleBook
from kiteroll.schemas.reading_files import read_readings

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


class _RuleEntry(BaseModel):
    """One [[rule]]: of a port, or of every port of a switch."""

    model_config = ConfigDict(extra="forbid")

    switch: Annotated[str, Field(min_length=1)]
    port: str = ""
    seats: Annotated[int, Field(ge=1)] | None = None
    watched: bool | None = None
    roll: list[str] = Field(default_factory=list)


class _RuleFile(BaseModel):
    model_config = ConfigDict(extra="forbid")

    rule: list[_RuleEntry] = Field(default_factory=list)


def read_rules(file: Path) -> RuleBook:
    """Rules of ports from TOML. Raises Invalid naming everything that is wrong."""
    try:
        parsed = _RuleFile.model_validate(tomllib.loads(file.read_text()))
    except OSError as wrong:
        raise Invalid(f"{file} cannot be read: {wrong.strerror}") from wrong
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as wrong:
        raise Invalid(f"{file} is not TOML: {wrong}") from wrong
    except ValidationError as wrong:
        lines = [f"{'.'.join(map(str, one['loc']))}: {one['msg']}" for one in wrong.errors()]
        raise Invalid("\n  ".join((f"{file} is not a rules file:", *lines))) from wrong
    switches: dict[str, Rule] = {}
    ports: dict[tuple[str, str], Rule] = {}
    for number, entry in enumerate(parsed.rule):
        if (entry.switch, entry.port) in ports or (not entry.port and entry.switch in switches):
            of = f"{entry.switch} port {entry.port}" if entry.port else entry.switch
            raise Invalid(f"{file}: rule.{number}: there is a rule of {of} above; put both into one")
        rule = Rule(entry.seats, entry.watched, tuple(_enrolled(file, number, text) for text in entry.roll))
        if entry.port:
            ports[entry.switch, entry.port] = rule
        else:
            switches[entry.switch] = rule
    return RuleBook(switches=switches, ports=ports)


def _enrolled(file: Path, number: int, text: str) -> Enrolled:
    """`02:1a:05` or `02:1a:05 vlan 20`."""
    address, _, vlan = text.partition(" vlan ")
    digits = first_digits(address, ADDRESS_DIGITS)
    number_of_vlan = whole_number(vlan, least=1, most=bounds.VLAN)
    if digits is None or (vlan and number_of_vlan is None):
        raise Invalid(f"{file}: rule.{number}.roll: {text!r} is neither an address nor a prefix (02:1a:05)")
    return Enrolled(digits, number_of_vlan)
