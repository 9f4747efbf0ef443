"""`kiteroll export` and `kiteroll report`: lists and switches as files."""

import sys
from pathlib import Path
from typing import Any, BinaryIO

from kiteroll.cli.context import Context, parse_instant
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command, shared
from kiteroll.core.errors import Invalid

_FILES = ("csv", "json", "jsonl", "xml", "xlsx")


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    one = add_command(
        commands,
        "export",
        run_export,
        "write a whole list to a file: CSV, JSON, JSON Lines, XML or XLSX",
        parents=parents,
        detail="LIST is switches, ports, neighbours, endpoints, stays, homes, discovered-switches, changes,\n"
        "readings, findings, differences or vlans. The file's extension says which format it is:\n"
        "  kiteroll export stays quay-1.xlsx --switch quay-1",
    )
    one.add_argument("list", metavar="LIST")
    one.add_argument("file", metavar="FILE", help="or - for standard output, with --as")
    one.add_argument("--as", dest="media", choices=_FILES, help="format (default: by the file's extension)")
    for name in ("switch", "port", "mac", "group"):
        one.add_argument(f"--{name}", metavar="TEXT")
    one.add_argument("--vlan", type=int, metavar="ID")
    for name in ("since", "until", "at"):
        one.add_argument(f"--{name}", metavar="WHEN")
    one.add_argument("--ended", action="store_true", default=None, help="stays: ended ones too")

    one = add_command(
        commands,
        "report",
        run_report,
        "write every port of a switch as a printable HTML page",
        parents=parents,
    )
    one.add_argument("switch")
    one.add_argument("file", metavar="FILE", help="or - for standard output")


def run_export(context: Context) -> Exit:
    args, now = context.args, context.now()
    media = args.media or Path(args.file).suffix.removeprefix(".")
    if media not in _FILES:
        raise Invalid(f"{args.file!r}: unknown file extension; choose a format with --as {'|'.join(_FILES)}")
    instants = {
        name: parse_instant(getattr(args, name), now).isoformat()
        for name in ("since", "until", "at")
        if getattr(args, name)
    }
    given = {name: getattr(args, name) for name in ("switch", "port", "mac", "group", "vlan", "ended")}
    return _download(context, f"/exports/{args.list}.{media}", **given, **instants)


def run_report(context: Context) -> Exit:
    return _download(context, f"/switches/{context.args.switch}/report")


def _download(context: Context, path: str, **params: Any) -> Exit:
    """Into a temporary file first: a download that breaks off leaves no half file behind."""
    file = context.args.file
    with context.client() as client:
        pieces = client.download(path, **params)
        if file == "-":
            _write(sys.stdout.buffer, pieces)
            return Exit.OK
        target = Path(file)
        part = target.with_name(f"{target.name}.part")
        try:
            with part.open("wb") as into:
                _write(into, pieces)
            part.replace(target)
        except OSError as wrong:
            raise Invalid(f"{file} cannot be written: {wrong.strerror}") from wrong
        finally:
            part.unlink(missing_ok=True)
    context.out.note(f"{file} written")
    return Exit.OK


def _write(into: BinaryIO, pieces: Any) -> None:
    for piece in pieces:
        into.write(piece)
