"""`kiteroll take ...` and `kiteroll mapping ...`: readings brought as files."""

import json
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from kiteroll.cli import columns
from kiteroll.cli.context import Context, parse_instant
from kiteroll.cli.exits import Exit
from kiteroll.cli.parsing import add_command, add_group, checked, shared
from kiteroll.client import (
    keep_mapping,
    mappings,
    remove_mapping,
    take_readings,
    take_table,
)
from kiteroll.core.errors import Invalid
from kiteroll.schemas import api
from kiteroll.schemas.reading_document import ReadingDocument
from kiteroll.schemas.reading_files import read_documents


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    one = add_command(
        commands,
        "take",
        run_take,
        "take readings from files: reading documents, or CSV tables by a mapping",
        parents=parents,
        detail="Documents (JSON, a list of them, or one a line) say themselves whose they are:\n"
        "  kiteroll take carried-over/*.json\n"
        "A CSV table is of one switch and is understood by a mapping:\n"
        "  kiteroll take table.csv --switch hut-1 --mapping old-box --at 14:05\n"
        "All files are checked before the first is taken; of a bad file nothing is taken.",
    )
    one.add_argument("file", type=Path, nargs="+")
    one.add_argument("--switch", metavar="NAME", help="whose table the CSV file is")
    one.add_argument("--mapping", metavar="NAME", help="how its columns are to be understood")
    one.add_argument("--at", metavar="WHEN", help="when the table was read (default: the file's own time)")
    one.add_argument("--dry-run", action="store_true", help="only check the files")

    verbs = add_group(commands, "mapping", "say how CSV tables are to be understood", of="VERB")
    add_command(verbs, "list", run_list, "list mappings", parents=parents)
    one = add_command(
        verbs,
        "keep",
        run_keep,
        "add or replace a mapping from a JSON file",
        parents=parents,
        detail="The file holds an object: address, port (needed); vlan, status (columns);\n"
        "delimiter, heading, skip, notation (hex or decimal), learned (words), port_name, port_names.\n"
        "docs/reading-document.md has an example.",
    )
    one.add_argument("name")
    one.add_argument("file", type=Path)
    add_command(verbs, "remove", run_remove, "remove a mapping", parents=parents).add_argument("name")


def run_take(context: Context) -> Exit:
    args = context.args
    if (args.switch is None) != (args.mapping is None):
        raise Invalid("--switch and --mapping go together: whose CSV table it is, and how to understand it")
    answers = _take_table(context) if args.switch else _take_documents(context)
    if args.dry_run:
        context.out.note("nothing was taken: this was a dry run", "dim")
    context.out.rows(answers, columns.readings(context.out), empty="the files are right")
    return Exit.PARTIAL if any(one.outcome == "partial" for one in answers) else Exit.FINE


def _take_table(context: Context) -> list[api.ReadingSummary]:
    args = context.args
    if len(args.file) != 1:
        raise Invalid("a CSV table is one file: name one")
    (file,) = args.file
    text = _text(file)
    at = parse_instant(args.at, context.now()) if args.at else _modified(file)
    table = checked(
        api.NewTable,
        switch=args.switch,
        taken_at=at,
        text=text,
        mapping=args.mapping,
        file=file.name,
        dry_run=args.dry_run,
    )
    with context.client() as client:
        return [client.ask(take_table(table))]


def _take_documents(context: Context) -> list[api.ReadingSummary]:
    documents: list[ReadingDocument] = []
    for file in context.args.file:
        documents += read_documents(_text(file), file.name)
    if context.args.dry_run:
        return []
    with context.client() as client:
        return client.ask(take_readings(documents))


def run_list(context: Context) -> Exit:
    with context.client() as client:
        answer = client.ask(mappings())
    context.out.rows(answer, columns.mappings(), empty="no mappings: `kiteroll mapping keep NAME FILE`")
    return Exit.FINE


def run_keep(context: Context) -> Exit:
    file = context.args.file
    try:
        mapping = api.Mapping.model_validate(json.loads(_text(file)))
    except ValidationError as wrong:
        lines = [f"{'.'.join(map(str, one['loc']))}: {one['msg']}" for one in wrong.errors()]
        raise Invalid("\n  ".join((f"{file} is no mapping:", *lines))) from wrong
    except ValueError as wrong:
        raise Invalid(f"{file} is no JSON: {wrong}") from wrong
    with context.client() as client:
        kept = client.ask(keep_mapping(context.args.name, mapping))
    context.out.done(kept, columns.mappings(), f"tables can be taken with --mapping {kept.name}")
    return Exit.FINE


def run_remove(context: Context) -> Exit:
    with context.client() as client:
        client.ask(remove_mapping(context.args.name))
    context.out.note(f"{context.args.name} is removed")
    return Exit.FINE


def _text(file: Path) -> str:
    try:
        return file.read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as wrong:
        raise Invalid(f"{file} cannot be read: {wrong}") from wrong


def _modified(file: Path) -> datetime:
    return datetime.fromtimestamp(file.stat().st_mtime, UTC)
