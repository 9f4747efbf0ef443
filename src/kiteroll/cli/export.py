"""`kiteroll export` and `kiteroll report`: lists and switches as files."""

import sys
from pathlib import Path
from typing import Any, BinaryIO

from kiteroll.cli.context import Context, parse_instant
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command, connection
from kiteroll.core.errors import Invalid, NotFound
from kiteroll.core.model.nearest import did_you_mean
from kiteroll.schemas.exports import EXPORT_FORMATS, EXPORT_LISTS

_TEXTS = ("switch", "port", "mac", "site", "group", "maker")
_SEVERAL = ("life", "confidence", "kind", "state", "severity")
_INSTANTS = ("since", "until", "at")
_OTHERS = ("vlan", "ended", "parts", "uplinks", "seen", "separator", "heading", "formulas")
_WORDS = {"uplinks": "no-uplinks", "seen": "never-seen"}
"""Options that are called otherwise than the filter."""


def add_commands(commands: Any) -> None:
    parents = (connection(),)
    one = add_command(
        commands,
        "export",
        run_export,
        "write a whole list to a file: CSV, JSON, JSON Lines, XML, XLSX or Parquet",
        parents=parents,
        detail="The file's extension says which format it is:\n"
        "  kiteroll export stays quay-1.xlsx --switch quay-1\n"
        "  kiteroll export findings all.csv --state open --state cleared --separator semicolon\n\n"
        "LIST, and what narrows it:\n" + "\n".join(_about(name) for name in EXPORT_LISTS),
    )
    one.add_argument("list", metavar="LIST")
    one.add_argument("file", metavar="FILE", help="or - for standard output, with --as")
    one.add_argument(
        "--as",
        "--format",
        dest="media",
        choices=EXPORT_FORMATS,
        help="format (default: by the file's extension)",
    )
    for name in _TEXTS:
        one.add_argument(f"--{name}", metavar="TEXT")
    for name in _SEVERAL:
        one.add_argument(f"--{name}", metavar="TEXT", action="append", help="may be given again")
    one.add_argument("--vlan", type=int, metavar="ID")
    for name in _INSTANTS:
        one.add_argument(f"--{name}", metavar="WHEN")
    one.add_argument("--ended", action="store_true", default=None, help="stays: ended ones too")
    one.add_argument(
        "--parts", action="store_true", default=None, help="findings: also those explained by others"
    )
    one.add_argument(
        "--no-uplinks", dest="uplinks", action="store_false", default=None, help="without uplinks"
    )
    one.add_argument(
        "--never-seen", dest="seen", action="store_false", default=None, help="labels: only those"
    )
    dialect = one.add_argument_group("CSV")
    dialect.add_argument("--separator", choices=("comma", "semicolon", "tab"), help="(default comma)")
    dialect.add_argument("--no-heading", dest="heading", action="store_false", default=None)
    dialect.add_argument(
        "--formulas",
        action="store_true",
        default=None,
        help="leave text that a spreadsheet takes for formulas",
    )

    one = add_command(
        commands,
        "report",
        run_report,
        "write every port of a switch as a printable HTML page",
        parents=parents,
    )
    one.add_argument("switch")
    one.add_argument("file", metavar="FILE", help="or - for standard output")


def _about(name: str) -> str:
    filters = [f"--{_WORDS.get(one, one)}" for one in EXPORT_LISTS[name]]
    return f"  {name:20} {' '.join(filters)}".rstrip()


def run_export(context: Context) -> Exit:
    args, now = context.args, context.now()
    media = args.media or Path(args.file).suffix.removeprefix(".")
    if media not in EXPORT_FORMATS:
        formats = "|".join(EXPORT_FORMATS)
        raise Invalid(f"{args.file!r}: unknown file extension; choose a format with --as {formats}")
    if args.list not in EXPORT_LISTS:
        hint = did_you_mean(args.list, EXPORT_LISTS, f"there are {', '.join(EXPORT_LISTS)}")
        raise NotFound("list", args.list, hint)
    given = {name: getattr(args, name) for name in (*_TEXTS, *_SEVERAL, *_OTHERS)}
    given |= {
        name: parse_instant(getattr(args, name), now).isoformat() for name in _INSTANTS if getattr(args, name)
    }
    return _download(context, f"/exports/{args.list}.{media}", **given)


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
