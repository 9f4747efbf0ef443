"""`kiteroll finding ...` and `kiteroll shared ...`: findings, and addresses shared by design."""

from datetime import timedelta
from itertools import islice
from typing import Any, get_args

from kiteroll.cli import columns
from kiteroll.cli.addresses import whole_address
from kiteroll.cli.context import Context, parse_instant
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.output import Output
from kiteroll.cli.parsing import add_command, add_group, checked, note_cut, shared, span_s
from kiteroll.client import (
    acknowledge,
    clear_finding,
    finding,
    finding_kind,
    finding_parts,
    findings,
    remove_shared_address,
    set_shared_address,
    shared_addresses,
)
from kiteroll.schemas import api

_KINDS = f"one of {', '.join(get_args(api.FindingKind))}"


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    verbs = add_group(commands, "finding", "list, show, acknowledge, clear or explain findings", of="VERB")
    one = add_command(
        verbs,
        "list",
        run_list,
        "list what a person must look at, the worst first (cleared ones: the latest)",
        parents=parents,
        detail="Open and acknowledged ones unless --state is given. Those that another finding explains\n"
        "(the flaps of a loop) are left out unless --parts is given.",
    )
    one.add_argument("--state", action="append", choices=get_args(api.FindingState))
    one.add_argument(
        "--kind", action="append", choices=get_args(api.FindingKind), metavar="KIND", help=_KINDS
    )
    one.add_argument("--severity", action="append", choices=get_args(api.Severity))
    one.add_argument("--switch", metavar="NAME")
    one.add_argument("--mac", metavar="ADDRESS")
    one.add_argument("--since", metavar="WHEN", help="with evidence since then (15m, 2h, 14:05, ...)")
    one.add_argument("--at", metavar="WHEN", help="those that were open then (2h, 14:05, a full time)")
    one.add_argument("--parts", action="store_true")
    one.add_argument("--limit", type=int, default=100, help="rows at most (default 100)")

    one = add_command(verbs, "show", run_show, "show one finding with its evidence", parents=parents)
    one.add_argument("number", type=int)
    one = add_command(
        verbs, "acknowledge", run_acknowledge, "acknowledge it, until it clears", parents=parents
    )
    one.add_argument("number", type=int)
    one.add_argument("--note", default="", metavar="TEXT")
    one.add_argument("--for", dest="span", metavar="SPAN", help="only for so long, such as 2h")
    one = add_command(
        verbs, "clear", run_clear, "clear it by hand; it reopens when it comes again", parents=parents
    )
    one.add_argument("number", type=int)
    one = add_command(verbs, "explain", run_explain, "explain what a kind of finding means", parents=parents)
    one.add_argument("kind", choices=get_args(api.FindingKind), metavar="KIND", help=_KINDS)

    verbs = add_group(commands, "shared", "list addresses that several devices use by design", of="VERB")
    add_command(verbs, "list", run_shared, "list them", parents=parents)
    one = add_command(verbs, "set", run_set_shared, "add an address or a prefix", parents=parents)
    one.add_argument("prefix", metavar="ADDRESS-OR-PREFIX")
    one.add_argument("reason")
    one = add_command(verbs, "remove", run_remove_shared, "remove one", parents=parents)
    one.add_argument("prefix", metavar="ADDRESS-OR-PREFIX")


def run_list(context: Context) -> Exit:
    args, out = context.args, context.out
    with context.client() as client:
        question = findings(
            states=args.state or (),
            kinds=args.kind or (),
            severities=args.severity or (),
            switch=args.switch,
            mac=args.mac and whole_address(context, client, args.mac),
            since=parse_instant(args.since, context.now()) if args.since else None,
            at=parse_instant(args.at, context.now()) if args.at else None,
            parts=args.parts,
            sort=None if args.state == ["cleared"] else "severity",
            limit=min(args.limit, 1000),
        )
        answer = list(islice(client.each(question), args.limit))
    narrowed = any((args.state, args.kind, args.severity, args.switch, args.mac, args.since))
    out.rows(answer, columns.findings(out), empty="no finding is like that" if narrowed else "no findings")
    note_cut(context, len(answer))
    return Exit.OK


def run_show(context: Context) -> Exit:
    number, out = context.args.number, context.out
    with context.client() as client:
        one = client.send(finding(number))
        parts = list(islice(client.each(finding_parts(number)), 50)) if one.parts else []
    if out.format != "table":
        out.rows([one], columns.findings(out), empty="")
        return Exit.OK
    lasting = one.may_be_over_at is not None and not out.is_past(one.may_be_over_at)
    facts = [
        ("finding", f"{one.id} {one.kind}, {one.severity}, {columns.finding_state(one, out)}"),
        ("title", one.title),
        ("likely cause", one.cause),
        ("first", f"{out.age(one.first_at)} ago"),
        (
            "last so" if lasting else "quiet for",
            f"{out.age(one.last_at)} ago" if lasting else out.age(one.last_at),
        ),
        ("clears by itself", "" if lasting else _clears(one, out)),
        ("cleared", "" if one.cleared_at is None else f"{out.age(one.cleared_at)} ago {_by(one)}"),
        ("opened", f"{one.times_opened} times" if one.times_opened > 1 else ""),
        ("acknowledged by", one.acknowledged_by if one.state == "acknowledged" else ""),
        ("note", one.note),
        ("part of", one.part_of),
        ("explains", f"{one.parts} other findings" if one.parts else ""),
    ]
    out.facts((name, value) for name, value in facts if value)
    out.line("")
    out.rows(one.evidence, columns.evidence(out), empty="")
    if parts:
        out.line("")
        out.rows(parts, columns.findings(out), empty="")
    out.note(f"`kiteroll finding explain {one.kind}` says what to do", "dim")
    return Exit.OK


def run_acknowledge(context: Context) -> Exit:
    args = context.args
    until = None
    if args.span:
        until = context.now() + timedelta(seconds=span_s(args.span, "--for"))
    given = checked(api.Acknowledgement, note=args.note, until=until)
    with context.client() as client:
        one = client.send(acknowledge(args.number, given))
    sentence = f"finding {one.id} is acknowledged by {one.acknowledged_by}"
    context.out.done(one, columns.findings(context.out), sentence)
    return Exit.OK


def run_clear(context: Context) -> Exit:
    args = context.args
    with context.client() as client:
        one = client.send(clear_finding(args.number))
    sentence = f"finding {one.id} is cleared; it reopens when it comes again"
    context.out.done(one, columns.findings(context.out), sentence)
    return Exit.OK


def run_explain(context: Context) -> Exit:
    out = context.out
    with context.client() as client:
        page = client.send(finding_kind(context.args.kind))
    if out.format == "json":
        out.json(page)
        return Exit.OK
    out.facts(
        (
            ("kind", f"{page.kind}: {page.title}"),
            ("why it matters", page.why),
            ("what it looks like", page.evidence),
            ("what to do", page.action),
            ("how to reduce these", page.fewer),
            ("thresholds", page.thresholds),
        )
    )
    return Exit.OK


def run_shared(context: Context) -> Exit:
    with context.client() as client:
        answer = client.all(shared_addresses())
    empty = "none of your own; virtual routers (RFC 9568) are known anyway"
    context.out.rows(answer, columns.shared_addresses(), empty=empty)
    return Exit.OK


def run_set_shared(context: Context) -> Exit:
    args = context.args
    given = checked(api.NewSharedAddress, reason=args.reason)
    with context.client() as client:
        client.send(set_shared_address(args.prefix, given))
    context.out.note(f"{args.prefix} may be used by several devices from now on")
    return Exit.OK


def run_remove_shared(context: Context) -> Exit:
    with context.client() as client:
        client.send(remove_shared_address(context.args.prefix))
    context.out.note(f"{context.args.prefix} is removed")
    return Exit.OK


def _clears(one: api.Finding, out: Output) -> str:
    if one.clears_at is None:
        return ""
    if out.is_past(one.clears_at):
        return "once its switches show that it is over"
    return f"in {out.until(one.clears_at)}, without new evidence"


def _by(one: api.Finding) -> str:
    return f"by {one.cleared_by}" if one.cleared_by else "by itself"
