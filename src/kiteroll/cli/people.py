"""`kiteroll user, token, session, password`: who may sign in, and with what."""

import getpass
import sys
from datetime import timedelta
from typing import Any, get_args

from kiteroll.cli import columns
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command, add_group, checked, shared, span_s
from kiteroll.client import (
    add_token,
    add_user,
    change_own_password,
    change_user,
    end_session,
    remove_user,
    reset_password,
    revoke_token,
    rotate_key,
    sessions,
    tokens,
    users,
)
from kiteroll.core.errors import Invalid
from kiteroll.schemas import api

_ROLES = ("viewer", "operator", "administrator")


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    verbs = add_group(commands, "user", "add, list, change or remove who may sign in", of="VERB")
    add_command(verbs, "list", run_users, "list accounts", parents=parents)
    for verb, run, summary in (
        ("add", run_add_user, "add an account; prints an initial password"),
        ("change", run_change_user, "change an account; what is not given stays"),
    ):
        one = add_command(verbs, verb, run, summary, parents=parents)
        one.add_argument("name")
        one.add_argument("--full-name", metavar="TEXT")
        one.add_argument("--role", choices=_ROLES)
        one.add_argument("--ports", choices=("yes", "no"), help="may have ports closed and opened")
        one.add_argument(
            "--site", action="append", metavar="NAME", help="may change its switches only; 'all' lifts it"
        )
        one.add_argument("--openid-subject", metavar="SUB", help="who it is at the OpenID Connect provider")
        if verb == "change":
            one.add_argument("--enabled", choices=("yes", "no"))
        else:
            one.add_argument("--password-stdin", action="store_true", help="read its password from stdin")
    for verb, run, summary in (
        ("remove", run_remove_user, "remove an account, its tokens and sessions"),
        ("reset-password", run_reset, "give an account a new initial password; its sessions end"),
    ):
        add_command(verbs, verb, run, summary, parents=parents).add_argument("name")

    verbs = add_group(commands, "token", "make, list or revoke tokens for programs", of="VERB")
    add_command(verbs, "list", run_tokens, "list your tokens (an administrator sees all)", parents=parents)
    one = add_command(verbs, "add", run_add_token, "make a token; it is printed this once", parents=parents)
    one.add_argument("name")
    one.add_argument(
        "--scope",
        action="append",
        choices=get_args(api.RightName),
        help="a right it carries; may be repeated (default view)",
    )
    one.add_argument("--for", dest="span", metavar="SPAN", help="how long it holds, such as 90d")
    one = add_command(verbs, "revoke", run_revoke, "revoke a token", parents=parents)
    one.add_argument("number", type=int)

    verbs = add_group(commands, "session", "list open sessions of the console, or end them", of="VERB")
    add_command(verbs, "list", run_sessions, "list open sessions", parents=parents)
    one = add_command(verbs, "end", run_end, "end a session", parents=parents)
    one.add_argument("number", type=int)

    verbs = add_group(commands, "password", "change your own password", of="VERB")
    add_command(verbs, "change", run_password, "change it; asked for, or two lines on stdin", parents=parents)

    verbs = add_group(commands, "key", "make a new key for sealed secrets", of="VERB")
    add_command(verbs, "rotate", run_rotate, "seal every secret with a new key", parents=parents)


def run_rotate(context: Context) -> Exit:
    with context.client() as client:
        rotated = client.send(rotate_key())
    if context.out.format == "json":
        context.out.json(rotated)
    else:
        context.out.note(f"sealed with a new key: {rotated.sealed_again}")
    return Exit.OK


def run_users(context: Context) -> Exit:
    with context.client() as client:
        found = client.all(users())
    context.out.rows(found, columns.users(context.out), empty="no accounts")
    return Exit.OK


def run_add_user(context: Context) -> Exit:
    args, out = context.args, context.out
    password = sys.stdin.readline().rstrip("\n") if args.password_stdin else None
    new = checked(api.NewUser, name=args.name, password=password, **_values(context))
    with context.client() as client:
        added = client.send(add_user(new))
    if out.format == "json":
        out.json(added)
        return Exit.OK
    out.done(added.user, columns.users(out), f"{added.user.name} is added as {added.user.role}")
    if added.initial_password is not None:
        out.note("the initial password, shown this once; it has to be changed at the first sign-in:")
        out.line(added.initial_password)
    return Exit.OK


def run_change_user(context: Context) -> Exit:
    args, values = context.args, _values(context)
    if args.enabled:
        values["enabled"] = args.enabled == "yes"
    if not values:
        raise Invalid("nothing to change: give at least one option")
    sites = values.pop("sites", ()) if values.get("sites", ()) is None else ()
    change = checked(api.UserChange, **values)
    if sites is None:
        change = api.UserChange(**change.model_dump(exclude_unset=True), sites=None)
    with context.client() as client:
        changed = client.send(change_user(args.name, change))
    context.out.done(changed, columns.users(context.out), f"{changed.name} is changed")
    return Exit.OK


def run_remove_user(context: Context) -> Exit:
    with context.client() as client:
        client.send(remove_user(context.args.name))
    context.out.note(f"{context.args.name} is removed")
    return Exit.OK


def run_reset(context: Context) -> Exit:
    with context.client() as client:
        made = client.send(reset_password(context.args.name))
    if context.out.format == "json":
        context.out.json(made)
    else:
        context.out.note(f"the initial password of {made.name}, shown this once:")
        context.out.line(made.initial_password)
    return Exit.OK


def run_tokens(context: Context) -> Exit:
    with context.client() as client:
        found = client.all(tokens())
    context.out.rows(found, columns.tokens(context.out), empty="no tokens")
    return Exit.OK


def run_add_token(context: Context) -> Exit:
    args, out = context.args, context.out
    until = context.now() + timedelta(seconds=span_s(args.span, "--for")) if args.span else None
    new = checked(api.NewToken, name=args.name, scopes=args.scope, expires_at=until)
    with context.client() as client:
        made = client.send(add_token(new))
    if out.format == "json":
        out.json(made)
        return Exit.OK
    out.note(f"token {made.token.id}, {made.token.name}: {', '.join(made.token.scopes)}; shown this once:")
    out.line(made.secret)
    return Exit.OK


def run_revoke(context: Context) -> Exit:
    with context.client() as client:
        client.send(revoke_token(context.args.number))
    context.out.note(f"token {context.args.number} is revoked")
    return Exit.OK


def run_sessions(context: Context) -> Exit:
    with context.client() as client:
        found = client.all(sessions())
    context.out.rows(found, columns.sessions(context.out), empty="nobody is signed in to the console")
    return Exit.OK


def run_end(context: Context) -> Exit:
    with context.client() as client:
        client.send(end_session(context.args.number))
    context.out.note(f"session {context.args.number} is over")
    return Exit.OK


def run_password(context: Context) -> Exit:
    if sys.stdin.isatty():
        present, password = getpass.getpass("present password: "), getpass.getpass("new password: ")
        if getpass.getpass("new password, again: ") != password:
            raise Invalid("the two new passwords differ")
    else:
        present, password = (sys.stdin.readline().rstrip("\n") for _ in range(2))
    with context.client() as client:
        client.send(change_own_password(present, password))
    context.out.note("the password is changed; your other sessions are over")
    return Exit.OK


def _values(context: Context) -> dict[str, Any]:
    """What was given of an account."""
    args = context.args
    values: dict[str, Any] = {
        name: given
        for name in ("full_name", "role", "openid_subject")
        if (given := getattr(args, name)) is not None
    }
    if args.ports:
        values["acts_on_ports"] = args.ports == "yes"
    if args.site:
        values["sites"] = None if args.site == ["all"] else args.site
    return values
