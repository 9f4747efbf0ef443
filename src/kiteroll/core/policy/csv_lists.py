"""Lists that people keep as CSV: whom to enrol, and who is expected where. All problems are found at once."""

import csv
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime

from kiteroll.core.errors import Invalid, InvalidParts
from kiteroll.core.model import bounds
from kiteroll.core.model.makers import parse_address_or_prefix
from kiteroll.core.model.whole_number import whole_number
from kiteroll.core.policy.levels import Level, parse_ports, ports_text
from kiteroll.core.policy.roll import Enrolled

ENROL_COLUMNS = ("address", "group", "switch", "ports", "port", "vlan", "note", "owner", "expires")
EXPECTED_COLUMNS = ("device", "switch", "port")
MAX_LINES = 100_000
_DELIMITERS = ",;\t"
_LONGEST = 255


@dataclass(frozen=True, slots=True)
class ExpectedLine:
    line: int
    device: str
    """An address, a host name, a label or an IP."""
    switch: str
    port: str


def enrolments(text: str, level: Level | None) -> list[Enrolled]:
    """Entries of a list, each at the level its line names, or else at `level`. Raises InvalidParts."""
    found: dict[tuple[Level, str, int | None], int] = {}
    entries, problems = [], []
    for line, row in _rows(text, ENROL_COLUMNS, ("address",), "the list of enrolments"):
        try:
            entry = _entry(row, level)
        except Invalid as wrong:
            problems.append((f"line {line}", str(wrong)))
            continue
        first = found.setdefault((entry.level, entry.prefix, entry.vlan), line)
        if first != line:
            problems.append((f"line {line}", f"{entry} is in line {first} already"))
        entries.append(entry)
    if problems:
        raise InvalidParts("the list of enrolments", problems)
    return entries


def expected_devices(text: str) -> list[ExpectedLine]:
    """Devices of a list. Raises InvalidParts."""
    found, problems = [], []
    for line, row in _rows(text, EXPECTED_COLUMNS, ("device",), "the list of devices"):
        if not row["device"]:
            problems.append((f"line {line}", "no device: an address, a name or an IP"))
        elif row["port"] and not row["switch"]:
            problems.append((f"line {line}", "a port needs its switch"))
        found.append(ExpectedLine(line, row["device"], row["switch"], row["port"]))
    if problems:
        raise InvalidParts("the list of devices", problems)
    return found


def _entry(row: Mapping[str, str], level: Level | None) -> Enrolled:
    prefix = parse_address_or_prefix(row["address"])
    vlan = None
    if row["vlan"]:
        vlan = whole_number(row["vlan"], least=1, most=bounds.VLAN)
        if vlan is None:
            raise Invalid(f"vlan {row['vlan']!r}: a number from 1 to {bounds.VLAN}, or nothing")
    return Enrolled(prefix, vlan, _instant(row["expires"]), _level(row, level), row["note"], row["owner"])


def _level(row: Mapping[str, str], level: Level | None) -> Level:
    group, switch, port, ports = row["group"], row["switch"], row["port"], row["ports"]
    if not (group or switch or port or ports):
        if level is None:
            raise Invalid("where: name a group, or a switch and maybe a port of it, in the list or beside it")
        return level
    if group and (switch or port or ports):
        raise Invalid("where: a group or a switch, not both")
    if (port or ports) and not switch:
        raise Invalid("where: a port needs its switch")
    if port and ports:
        raise Invalid("where: one port or a range, not both")
    return Level(group, switch, port, ports_text(parse_ports(ports)) if ports else "")


def _instant(text: str) -> datetime | None:
    if not text:
        return None
    try:
        at = datetime.fromisoformat(text)
    except ValueError:
        raise Invalid(f"expires {text!r}: a date (2027-03-31) or a full time with its zone") from None
    if at.tzinfo is None and len(text) > len("2027-03-31"):
        raise Invalid(f"expires {text!r}: a time needs its zone (2027-03-31T18:00:00Z)")
    return at.replace(tzinfo=UTC) if at.tzinfo is None else at.astimezone(UTC)


def _rows(
    text: str, columns: Collection[str], needed: Collection[str], source: str
) -> Iterator[tuple[int, Mapping[str, str]]]:
    """Lines with their number, by heading; empty ones and those that begin with # are left out."""
    lines = text.removeprefix("\ufeff").splitlines()
    if len(lines) > MAX_LINES:
        raise InvalidParts(source, [("lines", f"{len(lines)}, at most {MAX_LINES} are possible")])
    heading: list[str] | None = None
    delimiter = ","
    for number, line in enumerate(lines, 1):
        if not line.strip() or line.startswith("#"):
            continue
        if heading is None:
            delimiter = max(_DELIMITERS, key=line.count)
        cells = [cell.strip() for cell in next(csv.reader([line], delimiter=delimiter))]
        if heading is None:
            heading = [cell.lower() for cell in cells]
            _check_heading(heading, columns, needed, source, number)
            continue
        if len(cells) != len(heading):
            problem = f"{len(cells)} cells, the heading has {len(heading)}"
            raise InvalidParts(source, [(f"line {number}", problem)])
        if any(len(cell) > _LONGEST for cell in cells):
            raise InvalidParts(source, [(f"line {number}", f"a cell has more than {_LONGEST} signs")])
        row = dict(zip(heading, cells, strict=True))
        yield number, {name: row.get(name, "") for name in columns}


def _check_heading(
    heading: list[str], columns: Collection[str], needed: Collection[str], source: str, number: int
) -> None:
    unknown = [name for name in heading if name not in columns]
    missing = [name for name in needed if name not in heading]
    if unknown or missing or len(set(heading)) != len(heading):
        heading_row = (
            f"the heading names columns among {', '.join(columns)}, each once; {', '.join(needed)} is needed"
        )
        what = f" (unknown: {', '.join(unknown)})" if unknown else ""
        raise InvalidParts(source, [(f"line {number}", heading_row + what)])
