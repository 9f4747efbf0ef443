"""`kiteroll credential ...`: how switches are asked, under names that many switches can use."""

from typing import Any

from kiteroll.cli import columns, credential
from kiteroll.cli.context import Context
from kiteroll.cli.exits import Exit
from kiteroll.cli.parsing import add_command, checked, shared
from kiteroll.client import add_credential, change_credential, credentials, remove_credential
from kiteroll.schemas import api


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    summary = "add, list, change or remove named credentials"
    group = add_command(commands, "credential", lambda _: Exit.USAGE, summary)
    verbs = group.add_subparsers(metavar="VERB", required=True)
    for verb, run, told in (
        ("add", run_add, "add a credential for switches to use by its name"),
        ("change", run_change, "replace a credential for every switch that uses it"),
        ("remove", run_remove, "remove a credential that no switch uses"),
    ):
        parser = add_command(verbs, verb, run, told, parents=parents)
        parser.add_argument("name")
        if verb != "remove":
            credential.add_options(parser)
    add_command(
        verbs, "list", run_list, "list credentials; what is secret in them is never shown", parents=parents
    )


def run_add(context: Context) -> Exit:
    name = context.args.name
    new = checked(api.NewCredential, name=name, access=credential.given(context.args))
    with context.client() as client:
        added = client.ask(add_credential(new))
    return _said(context, added, f"{added.name} asks as {added.kind}")


def run_change(context: Context) -> Exit:
    access = checked(api.Credential, **credential.given(context.args))
    with context.client() as client:
        changed = client.ask(change_credential(context.args.name, access))
    return _said(context, changed, f"{changed.name} asks as {changed.kind}, on {changed.used_by} switches")


def run_remove(context: Context) -> Exit:
    with context.client() as client:
        client.ask(remove_credential(context.args.name))
    context.out.note(f"{context.args.name} is removed")
    return Exit.FINE


def run_list(context: Context) -> Exit:
    with context.client() as client:
        answer = client.ask(credentials())
    empty = "no named credentials; switches may have one of their own"
    context.out.rows(answer, columns.credentials(context.out), empty=empty)
    return Exit.FINE


def _said(context: Context, one: api.NamedCredential, sentence: str) -> Exit:
    if context.out.shape == "table":
        context.out.note(sentence)
    else:
        context.out.rows([one], columns.credentials(context.out), empty="")
    return Exit.FINE
