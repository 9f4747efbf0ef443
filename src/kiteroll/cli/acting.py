"""`kiteroll action, proposal, sweep`, and what commands that act on switches share: plan, confirm, send."""

import argparse
import sys
import time
from itertools import islice
from typing import Any

from kiteroll.cli import columns
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command, add_group, add_limit, checked, note_cut, shared
from kiteroll.client import (
    act,
    action,
    actions,
    approve_proposal,
    begin_sweep,
    go_on_closing,
    proposals,
    refuse_proposal,
    sweep,
    sweeps,
)
from kiteroll.duration import duration_text
from kiteroll.schemas import api

GUARDS = (
    *("uplink", "bundle", "bridge-behind", "router-behind", "way-to-service"),
    *("many-ports", "share-of-switch", "old-data"),
)
_STATES = ("sending", "done", "refused", "not done", "unknown")
_POLL_EVERY_S = 0.5


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    verbs = add_group(commands, "action", "list what was done to switches, and what became of it", of="VERB")
    one = add_command(verbs, "list", run_actions, "list actions, latest first", parents=parents)
    one.add_argument("--switch", metavar="NAME")
    one.add_argument("--port", metavar="NAME")
    one.add_argument("--state", action="append", choices=_STATES, help="may be repeated")
    add_limit(one, 100)
    one = add_command(verbs, "show", run_action, "show one action", parents=parents)
    one.add_argument("number", type=int)

    verbs = add_group(commands, "proposal", "decide on ports that rules propose to close", of="VERB")
    one = add_command(verbs, "list", run_proposals, "list proposals, latest first", parents=parents)
    one.add_argument(
        "--state",
        action="append",
        choices=("open", "approved", "refused", "expired", "withdrawn"),
        help="default: open",
    )
    add_limit(one, 100)
    one = add_command(verbs, "approve", run_approve, "close the port that is proposed", parents=parents)
    one.add_argument("number", type=int)
    add_overrides(one)
    one = add_command(verbs, "refuse", run_refuse, "leave the port open", parents=parents)
    one.add_argument("number", type=int)
    add_command(
        verbs,
        "go-on",
        run_go_on,
        "let rules close ports by themselves again, after they stopped",
        parents=parents,
    )

    verbs = add_group(commands, "sweep", "ask hosts to be heard, so that tables fill", of="VERB")
    one = add_command(
        verbs,
        "begin",
        run_sweep,
        "send one datagram to each address, then read switches again",
        parents=parents,
        detail="Only networks that the service's settings list may be asked (acting.ask_networks).",
    )
    one.add_argument("networks", nargs="+", metavar="NETWORK", help="10.20.30.0/24, or single addresses")
    one.add_argument("--switch", action="append", metavar="NAME", help="read these alone; may be repeated")
    add_command(verbs, "list", run_sweeps, "list sweeps, latest first", parents=parents)


def add_sending(parser: argparse.ArgumentParser, *, guarded: bool) -> None:
    """Options of what sends something to a switch."""
    send = parser.add_mutually_exclusive_group()
    send.add_argument("--yes", action="store_true", help="send it without asking")
    send.add_argument(
        "--dry-run", action="store_true", help="only show the plan (the default where nobody can be asked)"
    )
    if guarded:
        add_overrides(parser)


def add_overrides(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--override",
        action="append",
        choices=GUARDS,
        metavar="GUARD",
        help=f"pass over a guard that objects; may be repeated ({', '.join(GUARDS)})",
    )


def carry_out(context: Context, **given: Any) -> Exit:
    """Show the plan, ask, send, and show what the switch says afterwards."""
    args, out = context.args, context.out
    new = checked(api.NewAction, overrides=getattr(args, "override", None) or [], **given)
    with context.client() as client:
        plan = client.send(act(new)).plan
        if plan is None:
            raise AssertionError("a dry run has a plan")
        left = [one for one in plan.objections if one.guard not in new.overrides]
        if out.format == "table":
            _show_plan(context, plan, new)
        refused = Exit.REFUSED if left else Exit.OK
        if args.dry_run or not _confirmed(context, plan, objects=bool(left)):
            if out.format != "table":
                out.rows([plan], columns.action_plans(), empty="")
            return refused
        done = client.send(act(new.model_copy(update={"dry_run": False}))).action
    if done is None:
        raise AssertionError("what was carried out is an action")
    return _print_action(context, done)


def _show_plan(context: Context, plan: api.ActionPlan, new: api.NewAction) -> None:
    out = context.out
    facts: list[tuple[str, Any]] = [
        ("switch", plan.switch),
        ("port", plan.port),
        ("sets", f"{plan.object} from {plan.was or 'empty'} to {plan.to or 'empty'}"),
        ("written as", plan.credential),
        ("reason", new.reason),
    ]
    if plan.kind == "close-port":
        after = duration_text(new.reopen_after_s) if new.reopen_after_s else ""
        facts.append(("reopens", f"after {after}" if after else "by a person"))
        facts += [("present", _who(one)) for one in plan.present[:8]] or [("present", "nobody")]
        if plan.present_count > 8:
            facts.append(("", f"and {plan.present_count - 8} more"))
    if plan.rule:
        facts.append(("rule", plan.rule))
    facts += [
        (f"guard {one.guard}", one.text + (" (overridden)" if one.guard in new.overrides else ""))
        for one in plan.objections
    ]
    out.facts([(name, value) for name, value in facts if value])


def _who(one: api.PresentEndpoint) -> str:
    return "  ".join(filter(None, (one.mac, one.label, *one.names[:1], *one.ips[:1], one.maker)))


def _confirmed(context: Context, plan: api.ActionPlan, *, objects: bool) -> bool:
    args, out = context.args, context.out
    if objects:
        out.note("nothing is sent: a guard objects. --override GUARD passes over it", "yellow")
        return False
    if plan.changes_nothing:
        out.note("nothing is to be sent: it is so already")
        return args.yes is True
    if args.yes:
        return True
    if not sys.stdin.isatty() or out.format != "table":
        out.note("dry run: nothing is sent; --yes sends it")
        return False
    answer = input("Send it? [y/N] ")
    return answer.strip().lower() in ("y", "yes")


def _print_action(context: Context, done: api.Action) -> Exit:
    sentence = (
        f"{done.switch} {f'port {done.port} ' if done.port else ''}{done.kind}: {done.state} ({done.outcome})"
    )
    context.out.done(done, columns.actions(context.out), sentence)
    return {"done": Exit.OK, "unknown": Exit.UNREACHABLE}.get(done.state, Exit.REFUSED)


def run_actions(context: Context) -> Exit:
    args = context.args
    question = actions(
        switch=args.switch, port=args.port, states=args.state or (), limit=min(args.limit, 1000)
    )
    with context.client() as client:
        found = list(islice(client.each(question), args.limit))
    narrowed = args.switch or args.port or args.state
    empty = "no action is like that" if narrowed else "nothing was done to any switch"
    context.out.rows(found, columns.actions(context.out), empty=empty)
    note_cut(context, len(found))
    return Exit.OK if found else Exit.NOTHING


def run_action(context: Context) -> Exit:
    with context.client() as client:
        one = client.send(action(context.args.number))
    if context.out.format != "table":
        context.out.rows([one], columns.actions(context.out), empty="")
        return Exit.OK
    context.out.facts(
        [
            ("action", f"{one.id}: {one.kind}"),
            ("where", f"{one.switch} {f'port {one.port}' if one.port else ''}"),
            ("sets", f"{one.object} from {one.was or 'empty'} to {one.to or 'empty'}"),
            ("state", one.state),
            ("outcome", one.outcome),
            ("reason", one.reason),
            ("asked by", f"{one.asked_by or 'nobody'} ({one.via})"),
            ("overridden", ", ".join(one.overridden) or "nothing"),
            ("present then", ", ".join(one.present) or "nobody"),
            ("began", one.began_at),
            ("ended", one.ended_at or "not yet"),
        ]
    )
    return Exit.OK


def run_proposals(context: Context) -> Exit:
    args = context.args
    question = proposals(states=args.state or ("open",), limit=min(args.limit, 1000))
    with context.client() as client:
        found = list(islice(client.each(question), args.limit))
    context.out.rows(found, columns.proposals(context.out), empty="nothing is proposed")
    note_cut(context, len(found))
    return Exit.OK if found else Exit.NOTHING


def run_approve(context: Context) -> Exit:
    given = api.Approval(overrides=context.args.override or [])
    with context.client() as client:
        one = client.send(approve_proposal(context.args.number, given))
    sentence = f"{one.switch} port {one.port} is closed; action {one.action}"
    context.out.done(one, columns.proposals(context.out), sentence)
    return Exit.OK


def run_refuse(context: Context) -> Exit:
    with context.client() as client:
        one = client.send(refuse_proposal(context.args.number))
    context.out.done(one, columns.proposals(context.out), f"{one.switch} port {one.port} stays open")
    return Exit.OK


def run_go_on(context: Context) -> Exit:
    with context.client() as client:
        client.send(go_on_closing())
    context.out.note("rules may close ports by themselves again")
    return Exit.OK


def run_sweep(context: Context) -> Exit:
    args = context.args
    new = checked(api.NewSweep, networks=args.networks, switches=args.switch or [])
    with context.client() as client:
        one = client.send(begin_sweep(new))
        while one.state in ("asking", "reading"):
            time.sleep(_POLL_EVERY_S)
            one = client.send(sweep(one.id))
    if context.out.format == "json":
        context.out.json(one)
    else:
        context.out.rows(one.appeared, columns.appeared(), empty="nobody appeared who was not there before")
    for text in one.not_read:
        context.out.note(f"not read: {text}", "yellow")
    counts = f"{one.sent} of {one.addresses} addresses asked, {one.read} of {len(one.switches)} switches read"
    context.out.note(f"{counts}; {one.error}" if one.error else counts)
    if one.state == "failed":
        return Exit.FAULT
    return Exit.OK if one.appeared else Exit.NOTHING


def run_sweeps(context: Context) -> Exit:
    with context.client() as client:
        found = client.all(sweeps())
    context.out.rows(found, columns.sweeps(context.out), empty="no sweeps since the service was started")
    return Exit.OK if found else Exit.NOTHING
