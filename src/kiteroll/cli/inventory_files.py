"""Inventories as files: CSV, JSON, YAML, and host lists with sections. All become rows of the same words.

A host list has a line for each switch, `NAME key=value ...`, below a `[GROUP]` it belongs to; a line of
`key=value` alone holds for what follows in its section.
"""

import json
import shlex
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from kiteroll.cli.csv_rows import csv_rows
from kiteroll.core.errors import Invalid

WORDS = (
    *(
        "name",
        "address",
        "host",
        "port",
        "source",
        "credential",
        "write_credential",
        "site",
        "groups",
        "notes",
    ),
    *("interval_s", "timeout_s", "tries", "table_size", "hold_time_s", "enabled"),
)
"""Columns of a switch; `address` is host and port in one."""
MEASURED = frozenset(
    {
        *("credential_kind", "health", "healthy", "health_since", "tried_at", "read_at", "next_try_at"),
        *("error", "warnings", "present", "sys_name", "description", "location", "contact", "bridge_address"),
        *("ageing_s", "model", "serial", "software", "topology_changes", "topology_changed_at"),
        *("learning_discards", "up_since"),
    }
)
"""What an exported inventory has besides: it is read from switches, and passed over."""
Row = tuple[str, dict[str, Any]]
"""Where it stands, and the settings of a switch."""


def read_inventory(file: Path) -> list[Row]:
    """Raises Invalid saying where what is wrong."""
    readers: Mapping[str, Callable[[Path], list[Row]]] = {
        ".json": _json,
        ".jsonl": _json_lines,
        ".yaml": _yaml,
        ".yml": _yaml,
        ".ini": _host_list,
        ".hosts": _host_list,
    }
    rows = readers.get(file.suffix.lower(), _csv)(file)
    unknown = {name for _, row in rows for name in row} - set(WORDS) - MEASURED
    if unknown:
        raise Invalid(
            f"{file}: there is no setting {', '.join(map(repr, sorted(unknown)))}; {', '.join(WORDS)}"
        )
    return [(where, {name: row[name] for name in row if name not in MEASURED}) for where, row in rows]


def _text(file: Path) -> str:
    try:
        return file.read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as wrong:
        raise Invalid(f"{file} cannot be read: {wrong}") from wrong


def _csv(file: Path) -> list[Row]:
    heading, rows = csv_rows(file)
    unknown = [name for name in heading if name not in WORDS and name not in MEASURED]
    missing = [] if "name" in heading else ["column 'name' is missing"]
    if unknown or missing:
        problems = [*(f"there is no column {name!r}" for name in unknown), *missing]
        raise Invalid(f"{file}, line 1: {'; '.join(problems)}. Columns are {', '.join(WORDS)}")
    found: list[Row] = []
    for line, row in rows:
        if None in row:
            raise Invalid(f"{file}, line {line}: it has more cells than there are columns")
        found.append(
            (f"line {line}", {str(name): text for name, text in row.items() if text and text.strip()})
        )
    return found


def _json(file: Path) -> list[Row]:
    try:
        return _objects(file, json.loads(_text(file)))
    except ValueError as wrong:
        raise Invalid(f"{file} is not JSON: {wrong}") from wrong


def _json_lines(file: Path) -> list[Row]:
    try:
        whole = [json.loads(line) for line in _text(file).splitlines() if line.strip()]
    except ValueError as wrong:
        raise Invalid(f"{file} is not JSON Lines: {wrong}") from wrong
    return _objects(file, whole)


def _yaml(file: Path) -> list[Row]:
    try:
        import yaml
    except ImportError as missing:
        raise Invalid("YAML needs PyYAML: pip install 'kiteroll-client[yaml]'") from missing
    try:
        return _objects(file, yaml.safe_load(_text(file)))
    except yaml.YAMLError as wrong:
        raise Invalid(f"{file} is not YAML: {wrong}") from wrong


def _objects(file: Path, whole: Any) -> list[Row]:
    """A list of switches; or an object that has it as `switches` or `items`; or switches by name."""
    if isinstance(whole, dict):
        for name in ("switches", "items"):
            if isinstance(whole.get(name), list | dict):
                return _objects(file, whole[name])
        if whole and all(isinstance(one, dict) for one in whole.values()):
            whole = [{"name": name, **one} for name, one in whole.items()]
    if not isinstance(whole, list) or not all(isinstance(one, dict) for one in whole):
        raise Invalid(f"{file}: it must be a list of switches, or switches by their names")
    return [
        (f"switch {number}", {name: value for name, value in one.items() if value not in (None, "", [])})
        for number, one in enumerate(whole, 1)
    ]


def _host_list(file: Path) -> list[Row]:
    found: list[Row] = []
    group = ""
    usual: dict[str, str] = {}
    for number, text in enumerate(_text(file).splitlines(), 1):
        where = f"line {number}"
        try:
            words = shlex.split(text, comments=True)
        except ValueError as wrong:
            raise Invalid(f"{file}, {where}: {wrong}") from wrong
        if not words or words[0].startswith(";"):
            continue
        if words[0].startswith("[") and words[-1].endswith("]"):
            group, usual = " ".join(words)[1:-1].strip(), {}
            continue
        name, given = ("", words) if "=" in words[0] else (words[0], words[1:])
        pairs = [word.partition("=") for word in given]
        if wrong_ones := [key for key, equals, _ in pairs if not equals]:
            raise Invalid(f"{file}, {where}: {wrong_ones[0]!r}: write key=value")
        values = {key: value for key, _, value in pairs}
        if not name:
            usual |= values
            continue
        row = {"name": name, **usual, **values}
        if group:
            row["groups"] = f"{row.get('groups', '')} {group}".strip()
        found.append((where, row))
    return found
