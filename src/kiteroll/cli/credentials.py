"""`kiteroll credential ...`: how switches are polled, under names that many switches can use."""

from typing import Any

from kiteroll.cli import columns, credential_options
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.host_port import split_address
from kiteroll.cli.parsing import add_command, add_group, checked, shared
from kiteroll.client import add_credential, change_credential, credentials, remove_credential, test_credential
from kiteroll.schemas import api
from kiteroll.wording.spans import counted


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    verbs = add_group(commands, "credential", "add, list, change or remove named credentials", of="VERB")
    for verb, run, summary in (
        ("add", run_add, "add a credential for switches to use by its name"),
        ("change", run_change, "replace a credential for every switch that uses it"),
        ("remove", run_remove, "remove a credential that no switch uses"),
    ):
        parser = add_command(verbs, verb, run, summary, parents=parents)
        parser.add_argument("name")
        if verb != "remove":
            credential_options.add_options(parser)
    add_command(
        verbs, "list", run_list, "list credentials; what is secret in them is never shown", parents=parents
    )

    one = add_command(
        verbs,
        "test",
        run_test,
        "try a credential on one switch; nothing is stored",
        parents=parents,
    )
    one.add_argument("address", metavar="ADDRESS[:PORT]")
    one.add_argument("--credential", metavar="NAME", help="a named one; else give its options")
    credential_options.add_options(one)


def run_test(context: Context) -> Exit:
    args, out = context.args, context.out
    credential_options.check_given(args)
    host, port = split_address(args.address)
    test = checked(
        api.CredentialTest,
        host=host,
        port=port,
        credential=args.credential,
        access=credential_options.given(args) or None,
    )
    with context.client() as client:
        verdict = client.send(test_credential(test))
    if out.format == "json":
        out.json(verdict)
    else:
        facts = [("works" if key == "works" else key.replace("_", " "), value) for key, value in verdict]
        out.facts((key, value) for key, value in facts if value not in ("", None))
    return Exit.OK if verdict.works else Exit.UNREACHABLE


def run_add(context: Context) -> Exit:
    name = context.args.name
    new = checked(api.NewCredential, name=name, access=credential_options.given(context.args))
    with context.client() as client:
        added = client.send(add_credential(new))
    context.out.done(added, columns.credentials(context.out), f"{added.name}: {added.kind}")
    return Exit.OK


def run_change(context: Context) -> Exit:
    access = checked(api.Credential, **credential_options.given(context.args))
    with context.client() as client:
        changed = client.send(change_credential(context.args.name, access))
    users = counted(changed.used_by, "switch", "switches")
    done = f"{changed.name}: {changed.kind}, used by {users}"
    context.out.done(changed, columns.credentials(context.out), done)
    return Exit.OK


def run_remove(context: Context) -> Exit:
    with context.client() as client:
        client.send(remove_credential(context.args.name))
    context.out.note(f"{context.args.name} is removed")
    return Exit.OK


def run_list(context: Context) -> Exit:
    with context.client() as client:
        answer = client.all(credentials())
    empty = "no named credentials; switches may have one of their own"
    context.out.rows(answer, columns.credentials(context.out), empty=empty)
    return Exit.OK
