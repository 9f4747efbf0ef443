"""`kiteroll import` and `kiteroll mapping ...`: readings from files."""

import json
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from kiteroll.cli import columns
from kiteroll.cli.context import Context, parse_instant
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command, add_group, checked, shared
from kiteroll.client import import_mac_table, import_readings, mappings, remove_mapping, set_mapping
from kiteroll.core.errors import Invalid, InvalidParts, KiteRollError
from kiteroll.model_errors import problems_of
from kiteroll.schemas import api
from kiteroll.schemas.reading_document import ReadingDocument
from kiteroll.schemas.reading_files import read_documents

_AT_ONCE = 8 << 20
"""Octets of readings in one call; the service takes twice that."""


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    one = add_command(
        commands,
        "import",
        run_import,
        "import readings from files: reading documents, or CSV tables by a mapping",
        parents=parents,
        detail="Documents (JSON, a list of them, or one a line) name their switch:\n"
        "  kiteroll import carried-over/*.json\n"
        "A CSV table is of one switch and is understood by a mapping:\n"
        "  kiteroll import table.csv --switch hut-1 --mapping old-box --at 14:05\n"
        "All files are checked before the first is imported; nothing of a bad file is imported.",
    )
    one.add_argument("file", type=Path, nargs="+")
    one.add_argument("--switch", metavar="NAME", help="the switch whose table the CSV file is")
    one.add_argument("--mapping", metavar="NAME", help="how its columns are understood")
    one.add_argument("--at", metavar="WHEN", help="when the table was read (default: the file's own time)")
    one.add_argument("--dry-run", action="store_true", help="only check the files")

    verbs = add_group(commands, "mapping", "set how CSV tables are understood", of="VERB")
    add_command(verbs, "list", run_list, "list mappings", parents=parents)
    one = add_command(
        verbs,
        "set",
        run_set,
        "add or replace a mapping from a JSON file",
        parents=parents,
        detail="The file holds an object: address, port (needed); vlan, status (columns);\n"
        "delimiter, heading, skip, notation (hex or decimal), learned (words), port_name, port_names.\n"
        "docs/reading-document.md has an example.",
    )
    one.add_argument("name")
    one.add_argument("file", type=Path)
    add_command(verbs, "remove", run_remove, "remove a mapping", parents=parents).add_argument("name")


def run_import(context: Context) -> Exit:
    args = context.args
    if (args.switch is None) != (args.mapping is None):
        raise Invalid("--switch and --mapping go together: the switch of the CSV table, and how to read it")
    answers = _import_table(context) if args.switch else _import_documents(context)
    if args.dry_run:
        context.out.note("nothing was imported: this was a dry run", "dim")
    context.out.rows(answers, columns.readings(context.out), empty="the files are valid")
    return Exit.PARTIAL if any(one.outcome == "partial" for one in answers) else Exit.OK


def _import_table(context: Context) -> list[api.ReadingSummary]:
    args = context.args
    if len(args.file) != 1:
        raise Invalid("a CSV table is one file: name one")
    (file,) = args.file
    text = _text(file)
    at = parse_instant(args.at, context.now()) if args.at else _modified(file)
    table = checked(
        api.NewMacTable,
        switch=args.switch,
        taken_at=at,
        text=text,
        mapping=args.mapping,
        file=file.name,
        dry_run=args.dry_run,
    )
    with context.client() as client:
        return [client.send(import_mac_table(table))]


def _import_documents(context: Context) -> list[api.ReadingSummary]:
    documents: list[ReadingDocument] = []
    for file in context.args.file:
        documents += read_documents(_text(file), file.name)
    if context.args.dry_run:
        return []
    stored: list[api.ReadingSummary] = []
    with context.client() as client:
        for batch in _batches(sorted(documents, key=lambda one: one.taken_at)):
            try:
                answers = client.send(import_readings(batch))
                stored += answers
            except KiteRollError as wrong:
                if not stored:
                    raise
                raise Invalid(f"the first {len(stored)} readings were imported, then: {wrong}") from wrong
    return stored


def _batches(documents: Sequence[ReadingDocument]) -> Iterator[list[ReadingDocument]]:
    """Parts that are small enough for one call."""
    batch: list[ReadingDocument] = []
    octets = 0
    for one in documents:
        size = len(one.model_dump_json())
        if batch and octets + size > _AT_ONCE:
            yield batch
            batch, octets = [], 0
        batch.append(one)
        octets += size
    if batch:
        yield batch


def run_list(context: Context) -> Exit:
    with context.client() as client:
        answer = client.all(mappings())
    context.out.rows(answer, columns.mappings(), empty="no mappings: `kiteroll mapping set NAME FILE`")
    return Exit.OK


def run_set(context: Context) -> Exit:
    file = context.args.file
    try:
        mapping = api.CsvMapping.model_validate(json.loads(_text(file)))
    except ValidationError as wrong:
        raise InvalidParts(f"{file} is not a valid mapping", problems_of(wrong)) from wrong
    except ValueError as wrong:
        raise Invalid(f"{file} is not JSON: {wrong}") from wrong
    with context.client() as client:
        saved = client.send(set_mapping(context.args.name, mapping))
    context.out.done(saved, columns.mappings(), f"tables can be imported with --mapping {saved.name}")
    return Exit.OK


def run_remove(context: Context) -> Exit:
    with context.client() as client:
        client.send(remove_mapping(context.args.name))
    context.out.note(f"{context.args.name} is removed")
    return Exit.OK


def _text(file: Path) -> str:
    try:
        return file.read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as wrong:
        raise Invalid(f"{file} cannot be read: {wrong}") from wrong


def _modified(file: Path) -> datetime:
    return datetime.fromtimestamp(file.stat().st_mtime, UTC)
