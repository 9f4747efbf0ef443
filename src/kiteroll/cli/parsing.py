"""Options that many commands share."""

import argparse
from typing import Any

from kiteroll.cli.context import Command

FORMATS = ("table", "json", "csv")


def shared() -> argparse.ArgumentParser:
    """Parent of every command that asks the service."""
    parent = argparse.ArgumentParser(add_help=False)
    group = parent.add_argument_group("asking the service")
    group.add_argument(
        "--url", metavar="URL", help="where it answers (KITEROLL_URL; default http://127.0.0.1:8480)"
    )
    group.add_argument("--data", metavar="DIR", help="its data directory, where the token is (KITEROLL_DATA)")
    add_format(group)
    return parent


def add_format(parser: Any) -> None:
    parser.add_argument(
        "--format",
        choices=FORMATS,
        default="table",
        help="table for people, json and csv for programs (default table)",
    )


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
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    parser.set_defaults(run=run)
    return parser
