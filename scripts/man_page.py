"""Writes the manual page from the command line itself, in roff."""

import argparse
import sys
from collections.abc import Iterator

from kiteroll import __version__
from kiteroll.cli.exit_codes import MEANING
from kiteroll.cli.main import build_parser

_FILES = (
    ("/etc/kiteroll/kiteroll.toml", "settings"),
    ("/etc/kiteroll/environment", "variables for the service, such as KITEROLL_DATABASE_URL"),
    ("/var/lib/kiteroll", "the data directory: database, keys, token"),
)


def page() -> str:
    parser = build_parser()
    lines = [
        f'.TH KITEROLL 1 "" "kiteroll {__version__}" "Kite Roll"',
        ".SH NAME",
        r"kiteroll \- where every endpoint is connected: by switch, port and VLAN",
        ".SH SYNOPSIS",
        r".B kiteroll",
        r"\fICOMMAND\fR [\fIVERB\fR] [\fIOPTIONS\fR]",
        ".SH DESCRIPTION",
        _text(parser.description or ""),
        "Every command has \\-\\-help.",
        ".SH COMMANDS",
    ]
    for name, command in _commands(parser):
        lines += [".SS " + _text(f"kiteroll {name}"), _text(command.description or "")]
        for action in command._actions:
            if (
                action.help
                and action.help != argparse.SUPPRESS
                and not isinstance(action, argparse._HelpAction)
            ):
                lines += [".TP", rf"\fB{_text(_words(action))}\fR", _text(action.help % vars(action))]
    lines += [".SH EXIT STATUS", ".nf", _text(MEANING.partition("\n")[2]), ".fi", ".SH FILES"]
    for file, what in _FILES:
        lines += [".TP", rf"\fI{_text(file)}\fR", what]
    return "\n".join(lines) + "\n"


def _commands(
    parser: argparse.ArgumentParser, before: str = ""
) -> Iterator[tuple[str, argparse.ArgumentParser]]:
    """Those that do something, with the words that lead to each."""
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            for name, inner in action.choices.items():
                yield from _commands(inner, f"{before} {name}".strip())
            return
    yield before, parser


def _words(action: argparse.Action) -> str:
    named = str(action.metavar or ("|".join(map(str, action.choices)) if action.choices else action.dest))
    if not action.option_strings:
        return named
    return ", ".join(action.option_strings) + (f" {named}" if action.nargs != 0 else "")


def _text(text: str) -> str:
    escaped = text.replace("\\", "\\e").replace("-", "\\-")
    return "\n".join(rf"\&{line}" if line.startswith((".", "'")) else line for line in escaped.splitlines())


if __name__ == "__main__":
    sys.stdout.write(page())
