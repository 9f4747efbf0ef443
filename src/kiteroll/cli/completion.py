"""`kiteroll completion`: what makes a shell complete commands, options, and names the service knows."""

import argparse
import json
import os
import urllib.parse
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from kiteroll.cli.parsing import add_command
from kiteroll.data_dir import DEFAULT_URL, TOKEN_FILE, default_data_dir

_SHELLS = ("bash", "zsh", "fish")
_PATIENCE_S = 1.0
"""A Tab press must not wait longer."""


def add_commands(commands: Any) -> None:
    one = add_command(
        commands,
        "completion",
        run_completion,
        "print what makes your shell complete kiteroll's words",
        detail='For this shell:  eval "$(kiteroll completion bash)"\n'
        "For good, in bash:  kiteroll completion bash > ~/.local/share/bash-completion/completions/kiteroll\n"
        "Names of switches, ports, groups, sites and credentials come from the service, where it answers.",
    )
    one.add_argument("shell", choices=_SHELLS)
    one.set_defaults(format="table")


def run_completion(context: Any) -> Any:
    from kiteroll.cli.exit_codes import Exit
    from kiteroll.core.errors import Invalid

    try:
        from argcomplete.shell_integration import shellcode
    except ImportError as missing:
        raise Invalid("completion needs argcomplete: pip install 'kiteroll-client[completion]'") from missing

    print(shellcode(["kiteroll"], shell=context.args.shell))
    return Exit.OK


def complete(parser: argparse.ArgumentParser) -> None:
    """Answer the shell, and end."""
    import argcomplete

    for action in _actions(parser):
        completer = _completer_of(action)
        if completer is not None:
            action.completer = completer  # type: ignore[attr-defined]  # as argcomplete looks for it
    argcomplete.autocomplete(parser)


Completer = Callable[..., list[str]]


def _completer_of(action: argparse.Action) -> Completer | None:
    if action.dest in ("switch", "start") or action.metavar == "SWITCH":
        return _names("/switches?limit=1000")
    if action.dest == "port":
        return _port_names
    if action.dest in ("group", "groups"):
        return _names("/groups?limit=1000")
    if action.dest == "site":
        return _names("/sites?limit=1000")
    if action.dest == "credential":
        return _names("/credentials?limit=1000")
    return None


def _actions(parser: argparse.ArgumentParser) -> Iterator[argparse.Action]:
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            for below in action.choices.values():
                yield from _actions(below)
        else:
            yield action


def _names(path: str) -> Completer:
    def completer(prefix: str, parsed_args: argparse.Namespace, **_: object) -> list[str]:
        return [name for name in _fetch(path, parsed_args) if name.startswith(prefix)]

    return completer


def _port_names(prefix: str, parsed_args: argparse.Namespace, **_: object) -> list[str]:
    switch = getattr(parsed_args, "switch", None)
    if not switch:
        return []
    path = f"/switches/{urllib.parse.quote(str(switch), safe='')}/ports?limit=1000"
    return [name for name in _fetch(path, parsed_args) if name.startswith(prefix)]


def _fetch(path: str, args: argparse.Namespace) -> list[str]:
    """Names of a list. By the standard library alone: the client takes longer to load than a Tab may."""
    base = getattr(args, "url", None) or os.environ.get("KITEROLL_URL") or DEFAULT_URL
    try:
        request = urllib.request.Request(f"{base.rstrip('/')}/api/v1{path}")
        request.add_header("Authorization", f"Bearer {_token(args)}")
        opener = urllib.request.build_opener(urllib.request.ProxyHandler({}))
        with opener.open(request, timeout=_PATIENCE_S) as response:
            found = json.load(response)
        rows = found["items"] if isinstance(found, dict) else found
        return [str(row["name"]) for row in rows]
    except (OSError, ValueError, KeyError, TypeError):
        return []  # nothing may be printed in the middle of somebody's typing


def _token(args: argparse.Namespace) -> str:
    if token := os.environ.get("KITEROLL_TOKEN"):
        return token
    given = getattr(args, "data", None)
    directory = Path(given) if given else default_data_dir(os.environ)
    return (directory / TOKEN_FILE).read_text().strip()
