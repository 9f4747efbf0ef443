"""The entry point: arguments in, exit code out.

A command's module is loaded only when that command is used, so that `--help`, `--version` and the
completion of a shell answer at once.
"""

import argparse
import errno
import gc
import io
import os
import sys
from collections.abc import Sequence
from typing import Any

from kiteroll import __version__
from kiteroll.cli.exit_codes import MEANING, Exit
from kiteroll.cli.help_text import Paragraphs
from kiteroll.cli.loading import load

_COMMANDS: tuple[tuple[str, str, str], ...] = (
    ("find", "search", "find endpoints, switches and ports by any part of their address or name"),
    ("endpoint", "endpoints", "list endpoints, show where they are, change their labels"),
    ("label", "labels", "set labels of addresses, also before they are seen"),
    ("path", "endpoints", "show the path to an endpoint, hop by hop"),
    ("port", "ports", "list ports, close and reopen them, set role and alias, see history and use"),
    ("roll-call", "roll_call", "show who is present beside who may be: on a port, a switch, or everywhere"),
    ("changes", "history", "list what changed, latest first"),
    ("compare", "history", "list what differs between two instants: who appeared, left, moved, came back"),
    ("follow", "history", "show changes and findings as they come, until Ctrl-C"),
    ("readings", "history", "list readings and failed tries, latest first"),
    ("hours", "history", "show what came hour by hour: readings, changes, new endpoints, findings"),
    ("vlans", "history", "list VLANs across switches"),
    ("health", "history", "show service status"),
    ("export", "export", "write a whole list to a file: CSV, JSON, JSON Lines, XML, XLSX or Parquet"),
    ("report", "export", "write every port of a switch as a printable HTML page"),
    ("finding", "findings", "list, show, acknowledge, clear or explain findings"),
    ("shared", "findings", "list addresses that several devices use by design"),
    ("rule", "rules", "set who may be on ports, and how many"),
    ("barred", "rules", "list and set addresses that must appear nowhere"),
    ("enrolment", "enrolment", "open windows in which those present become candidates"),
    ("rehearse", "rehearsal", "show what changed rules would have found in the recorded past"),
    ("action", "acting", "list what was done to switches, and what became of it"),
    ("proposal", "acting", "decide on ports that rules propose to close"),
    ("sweep", "acting", "ask hosts to be heard, so that tables fill"),
    ("switch", "inventory", "add, list, show, change, remove or read switches"),
    ("device-link", "links", "make links to switches and endpoints, by templates"),
    ("query", "links", "keep queries of the console by name, alone or for all"),
    ("round", "rounds", "read many switches now, watch, cancel or resume"),
    ("site", "rounds", "list sites, limit how many switches are read at once"),
    ("collector", "collectors", "read the switches of a site there, and see how its readings come"),
    ("group", "rounds", "list groups, set how long quiet addresses are held"),
    ("import", "imports", "import readings from files: reading documents, or CSV tables by a mapping"),
    ("mapping", "imports", "set how CSV tables are understood"),
    ("maker", "makers", "list your own prefixes and their makers"),
    ("credential", "credentials", "add, list, change or remove named credentials"),
    ("user", "people", "add, list, change or remove who may sign in"),
    ("token", "people", "make, list or revoke tokens for programs"),
    ("session", "people", "list open sessions of the console, or end them"),
    ("password", "people", "change your own password"),
    ("key", "people", "make a new key for sealed secrets"),
    ("audit", "audit", "see who changed what, and check that the log is whole"),
    ("alert", "alerts", "list alerts that were sent, and those that wait"),
    ("alert-route", "alerts", "set which alerts go where"),
    ("alert-target", "alert_targets", "set where alerts are delivered to, and try it"),
    ("planned-work", "alerts", "plan work during which no alerts are sent"),
    ("setting", "settings", "change thresholds, retention and the interval at run time"),
    ("replay", "replay", "play recorded readings through the finding engine, without a service"),
    ("probe", "probe", "read one switch directly, to try it before adding it"),
    ("backup", "backup", "make, verify or restore a backup"),
    ("check", "check", "look at settings, data, ports and database without starting"),
    ("doctor", "doctor", "gather what a report of trouble needs into a file"),
    ("up", "up", "run the service until it is told to stop"),
    ("serve", "up", "answer for the service that has the database, on a machine of its own"),
    ("tracker", "up", "track the switches of an area for the service, on a machine of its own"),
    ("demo", "demo", "run the service on the simulated network of Tarn Ferries"),
    ("completion", "completion", "print what makes your shell complete kiteroll's words"),
)
"""Name, module and summary of each command, in the order of the help."""


class _Parser(argparse.ArgumentParser):
    """Says of a command that is not there what may have been meant, and does not list all there are."""

    def _check_value(self, action: argparse.Action, value: Any) -> None:
        if isinstance(action, argparse._SubParsersAction) and value not in action.choices:
            from kiteroll.core.model.nearest import did_you_mean

            hint = did_you_mean(value, action.choices, f"{self.prog} -h lists those there are")
            raise argparse.ArgumentError(None, f"there is no command {value!r}; {hint}")
        super()._check_value(action, value)


def build_parser(words: Sequence[str] | None = None) -> argparse.ArgumentParser:
    """With `words`, only the command they name is whole; the others are there for the help alone.
    Without, every command is."""
    parser = _Parser(
        prog="kiteroll",
        description="Where every endpoint is connected: by switch, port and VLAN, and since when.",
        epilog=MEANING,
        formatter_class=Paragraphs,
    )
    parser.add_argument("--version", action="version", version=f"kiteroll {__version__}")
    commands = parser.add_subparsers(metavar="COMMAND", required=True)
    named = None if words is None else next((word for word in words if not word.startswith("-")), "")
    loaded: set[str] = set()
    for name, module, summary in _COMMANDS:
        if named is not None and name != named:
            commands.add_parser(name, help=summary, add_help=False)
        elif module not in loaded:
            loaded.add(module)
            _add_commands(module, _Only(commands, named), name)
    return parser


def _add_commands(module: str, commands: "_Only", name: str) -> None:
    loaded = load(module)
    if loaded is None:
        commands.add_parser(name).set_defaults(run=_of_the_service, format="table")
    else:
        loaded.add_commands(commands)


def _of_the_service(context: Any) -> Exit:
    print("kiteroll: this command is part of the service: pip install kiteroll", file=sys.stderr)
    return Exit.USAGE


class _Only:
    """Takes the commands of a module, but of several only the one that is named."""

    def __init__(self, commands: Any, named: str | None) -> None:
        self._commands = commands
        self._named = named

    def add_parser(self, name: str, **options: Any) -> argparse.ArgumentParser:
        if self._named is None or name == self._named:
            added: argparse.ArgumentParser = self._commands.add_parser(name, **options)
            return added
        return argparse.ArgumentParser(
            prog=f"kiteroll {name}", parents=options.get("parents", ()), add_help=False
        )


def _parsed(words: Sequence[str]) -> argparse.Namespace:
    """Exits with a message that shows how the command that was given is used, not all of them."""
    parser = build_parser(words)
    args, unknown = parser.parse_known_args(words)
    if unknown:
        from kiteroll.core.model.nearest import did_you_mean

        used: argparse.ArgumentParser = getattr(args, "parser", parser)
        options = (one for one in used._option_string_actions if one.startswith("--"))
        hint = did_you_mean(unknown[0], options, f"{used.prog} -h shows what it takes")
        used.error(f"it does not know {' '.join(unknown)}; {hint}")
    return args


def main(words: Sequence[str] | None = None) -> Exit:
    # Searching for plug-ins would go through every installed distribution.
    os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")
    given = sys.argv[1:] if words is None else words
    if "_ARGCOMPLETE" in os.environ:
        from kiteroll.cli.completion import complete

        complete(build_parser(os.environ.get("COMP_LINE", "").split()[1:]))
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")  # a terminal that lacks a letter ends no command
    args = _parsed(given)

    from kiteroll.cli.context import make_context
    from kiteroll.cli.exit_codes import exit_of
    from kiteroll.cli.option_names import with_options
    from kiteroll.core.errors import ConfigError, KiteRollError

    try:
        result: Exit = args.run(make_context(args))
        sys.stdout.flush()
        return result
    except ConfigError as wrong:
        print(f"kiteroll: {wrong.source}:", *wrong.problems, sep="\n  ", file=sys.stderr)
        return Exit.USAGE
    except KiteRollError as error:
        options = args.parser._option_string_actions
        print(f"kiteroll: {with_options(str(error), options)}", file=sys.stderr)
        return exit_of(error)
    except KeyboardInterrupt:
        return Exit.OK
    except BrokenPipeError:
        # The reader of our output left (`| head`); Python would complain again while closing stdout.
        sys.stderr.close()
        return Exit.OK
    except OSError as wrong:
        if wrong.errno not in (errno.ENOSPC, errno.EIO, errno.EDQUOT, errno.EFBIG):
            raise
        print(f"kiteroll: the output cannot be written: {wrong.strerror}", file=sys.stderr)
        os.dup2(os.open(os.devnull, os.O_WRONLY), 1)  # Python would fail once more while closing it
        return Exit.FAULT


def run() -> None:
    # Importing makes many objects and no garbage: looking for it costs a command a tenth of its time.
    gc.set_threshold(50_000)
    sys.exit(main())
