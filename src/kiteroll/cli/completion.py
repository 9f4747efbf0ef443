"""`kiteroll completion`: what makes a shell complete commands, options and the names of switches."""

import argparse
import os
from collections.abc import Iterator
from typing import Any

from kiteroll.cli.context import Context, make_context
from kiteroll.cli.exits import Exit
from kiteroll.cli.parsing import add_command
from kiteroll.client import switches
from kiteroll.core.errors import KiteRollError

_SHELLS = ("bash", "zsh", "fish")
_ASKED = "_ARGCOMPLETE"
"""Set by the shell when it asks for completions."""


def add_commands(commands: Any) -> None:
    one = add_command(
        commands,
        "completion",
        run_completion,
        "print what makes your shell complete kiteroll's words",
        detail='For this shell:  eval "$(kiteroll completion bash)"\n'
        "For good, in bash:  kiteroll completion bash > ~/.local/share/bash-completion/completions/kiteroll\n"
        "Names of switches are asked from the service, where it answers.",
    )
    one.add_argument("shell", choices=_SHELLS)
    one.set_defaults(format="table")


def run_completion(context: Context) -> Exit:
    from argcomplete.shell_integration import shellcode  # loaded for this alone: every command starts here

    print(shellcode(["kiteroll"], shell=context.args.shell))
    return Exit.FINE


def complete(parser: argparse.ArgumentParser) -> None:
    """Answer the shell and end, if it is the shell that asks."""
    if _ASKED not in os.environ:
        return
    import argcomplete

    for action in _actions(parser):
        if action.dest == "switch" or action.metavar == "SWITCH":
            action.completer = _switch_names  # type: ignore[attr-defined]  # as argcomplete looks for it
    argcomplete.autocomplete(parser)


def _actions(parser: argparse.ArgumentParser) -> Iterator[argparse.Action]:
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            for below in action.choices.values():
                yield from _actions(below)
        else:
            yield action


def _switch_names(prefix: str, parsed_args: argparse.Namespace, **_: object) -> list[str]:
    try:
        with make_context(_with_defaults(parsed_args)).client() as client:
            return [one.name for one in client.each(switches(limit=1000)) if one.name.startswith(prefix)]
    except KiteRollError:
        return []  # nothing may be said in the middle of somebody's typing


def _with_defaults(args: argparse.Namespace) -> argparse.Namespace:
    return argparse.Namespace(**{"url": None, "data": None, "format": "table"} | vars(args))
