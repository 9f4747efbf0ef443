"""Options that many commands share."""

import argparse
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from kiteroll.cli.context import Command, Context
from kiteroll.cli.help_text import Paragraphs
from kiteroll.cli.output import FORMATS
from kiteroll.core.errors import Invalid, sentence
from kiteroll.core.model.whole_number import whole_number
from kiteroll.duration import parse_duration_s
from kiteroll.model_errors import problems_of

M = TypeVar("M", bound=BaseModel)


def connection() -> argparse.ArgumentParser:
    """Parent of a command that talks to the service, and whose output has a form of its own."""
    parent = argparse.ArgumentParser(add_help=False)
    parent.set_defaults(format=None)
    group = parent.add_argument_group("connection")
    group.add_argument(
        "--url", metavar="URL", help="URL of the service (KITEROLL_URL; default http://127.0.0.1:8480)"
    )
    group.add_argument("--data", metavar="DIR", help="its data directory, where the token is (KITEROLL_DATA)")
    group.add_argument(
        "--ca", metavar="FILE", help="PEM file of the authorities to trust, with https (KITEROLL_CA_FILE)"
    )
    group.add_argument(
        "--profile", metavar="NAME", help="of ~/.config/kiteroll/config.toml (KITEROLL_PROFILE)"
    )
    return parent


def shared() -> argparse.ArgumentParser:
    """Parent of every other command that talks to the service."""
    parent = argparse.ArgumentParser(add_help=False, parents=[connection()])
    look = parent.add_argument_group("output")
    add_format(look)
    look.add_argument("--columns", metavar="LIST", help="of a list: these alone, in this order: switch,port")
    look.add_argument(
        "--sort", metavar="COLUMN", help="of a list: by this column; -COLUMN: the largest first"
    )
    look.add_argument("--no-headers", action="store_true", help="of a list: without the names of columns")
    for zone, about in (
        ("local", "times in tables in the zone of this machine (TZ)"),
        ("utc", "times in UTC, whatever the profile says"),
    ):
        look.add_argument(f"--{zone}", dest="zone", action="store_const", const=zone, help=about)
    return parent


def add_format(parser: Any) -> None:
    parser.add_argument(
        "--format",
        choices=FORMATS,
        default=None,
        help="table for people, json and csv for programs (default table)",
    )


def checked(model: type[M], **values: Any) -> M:
    """The model of what was typed. Raises Invalid naming each invalid value, before anything is sent."""
    try:
        return model.model_validate({name: value for name, value in values.items() if value is not None})
    except ValidationError as wrong:
        raise Invalid(sentence(problems_of(wrong))) from wrong


def span_s(text: str, option: str) -> float:
    """Seconds of a span such as 500ms or 30m. Raises Invalid naming the option."""
    try:
        return parse_duration_s(text)
    except ValueError as wrong:
        raise Invalid(f"{option}: {wrong}") from wrong


def add_command(
    commands: Any,
    name: str,
    run: Command,
    summary: str,
    *,
    parents: tuple[argparse.ArgumentParser, ...] = (),
    detail: str = "",
) -> argparse.ArgumentParser:
    parser: argparse.ArgumentParser = commands.add_parser(
        name,
        help=summary,
        description=f"{summary[0].upper()}{summary[1:]}." + (f"\n\n{detail}" if detail else ""),
        parents=list(parents),
        formatter_class=Paragraphs,
        allow_abbrev=False,
    )
    parser.set_defaults(run=run, parser=parser)
    return parser


def add_group(commands: Any, name: str, summary: str, *, of: str) -> Any:
    """A command that only holds others; returns what those are added to. `of` names them in the help."""
    parser = commands.add_parser(name, help=summary, description=f"{summary[0].upper()}{summary[1:]}.")
    return parser.add_subparsers(metavar=of, required=True)


def add_limit(parser: argparse.ArgumentParser, default: int = 500) -> None:
    parser.add_argument("--limit", type=_positive, default=default, help=f"rows at most (default {default})")


def note_cut(context: Context, shown: int) -> None:
    """Note when a list was cut at its limit."""
    if shown == context.args.limit:
        context.out.note(f"the first {shown}; --limit shows more", "dim")


def _positive(text: str) -> int:
    if (number := whole_number(text, least=1, most=10**9)) is None:
        raise argparse.ArgumentTypeError(f"{text!r} is not a number of rows: 1 or more")
    return number
