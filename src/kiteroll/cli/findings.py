"""`kiteroll finding ...` and `kiteroll shared ...`: findings, and addresses shared by design."""

from argparse import ArgumentParser
from collections.abc import Callable
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
    Client,
    acknowledge,
    acknowledge_findings,
    clear_finding,
    clear_findings,
    finding,
    finding_kind,
    finding_parts,
    findings,
    remove_shared_address,
    set_shared_address,
    shared_addresses,
)
from kiteroll.core.errors import Invalid
from kiteroll.core.model.chunks import chunks
from kiteroll.schemas import api
from kiteroll.schemas.findings import FINDINGS_AT_ONCE
from kiteroll.wording.spans import counted

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
    _add_filters(one)
    one.add_argument("--since", metavar="WHEN", help="with evidence since then (15m, 2h, 14:05, ...)")
    one.add_argument("--at", metavar="WHEN", help="those that were open then (2h, 14:05, a full time)")
    one.add_argument("--parts", action="store_true")
    one.add_argument("--limit", type=int, default=100, help="rows at most (default 100)")

    one = add_command(verbs, "show", run_show, "show one finding with its evidence", parents=parents)
    one.add_argument("number", type=int)
    one = add_command(
        verbs,
        "acknowledge",
        run_acknowledge,
        "acknowledge them, until they clear",
        parents=parents,
        detail=f"{_CHOICE}\n"
        "  kiteroll finding acknowledge 17 --note 'Ida looks at it'\n"
        "  kiteroll finding acknowledge --kind moved --switch quay-1 --note 'the patch panel is redone'",
    )
    _add_choice(one)
    one.add_argument("--note", default="", metavar="TEXT")
    one.add_argument("--for", dest="span", metavar="SPAN", help="only for so long, such as 2h")
    one = add_command(
        verbs,
        "clear",
        run_clear,
        "clear them by hand; one reopens when it comes again",
        parents=parents,
        detail=_CHOICE,
    )
    _add_choice(one)
    one = add_command(verbs, "explain", run_explain, "explain what a kind of finding means", parents=parents)
    one.add_argument("kind", choices=get_args(api.FindingKind), metavar="KIND", help=_KINDS)

    verbs = add_group(commands, "shared", "list addresses that several devices use by design", of="VERB")
    add_command(verbs, "list", run_shared, "list them", parents=parents)
    one = add_command(verbs, "set", run_set_shared, "add an address or a prefix", parents=parents)
    one.add_argument("prefix", metavar="ADDRESS-OR-PREFIX")
    one.add_argument("reason")
    one = add_command(verbs, "remove", run_remove_shared, "remove one", parents=parents)
    one.add_argument("prefix", metavar="ADDRESS-OR-PREFIX")


def _add_filters(parser: ArgumentParser) -> None:
    parser.add_argument(
        "--kind", action="append", choices=get_args(api.FindingKind), metavar="KIND", help=_KINDS
    )
    parser.add_argument("--severity", action="append", choices=get_args(api.Severity))
    parser.add_argument("--switch", metavar="NAME")
    parser.add_argument("--mac", metavar="ADDRESS")


_CHOICE = "Those with these numbers, or all that are like --kind, --severity, --switch and --mac say."


def _add_choice(parser: ArgumentParser) -> None:
    parser.add_argument("number", type=int, nargs="*")
    _add_filters(parser)
    parser.add_argument("--dry-run", action="store_true", help="only list them")


def run_list(context: Context) -> Exit:
    args, out = context.args, context.out
    with context.client() as client:
        question = findings(
            **_like(context, client),
            states=args.state or (),
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
        if len(args.number) == 1 and not args.dry_run:
            one = client.send(acknowledge(args.number[0], given))
            sentence = f"finding {one.id} is acknowledged by {one.acknowledged_by}"
            context.out.done(one, columns.findings(context.out), sentence)
            return Exit.OK

        def send(numbers: list[int]) -> api.FindingsChanged:
            chosen = checked(api.FindingsToAcknowledge, findings=numbers, note=args.note, until=until)
            return client.send(acknowledge_findings(chosen))

        return _change_many(context, client, ["open"], send, "acknowledged")


def run_clear(context: Context) -> Exit:
    args = context.args
    with context.client() as client:
        if len(args.number) == 1 and not args.dry_run:
            one = client.send(clear_finding(args.number[0]))
            sentence = f"finding {one.id} is cleared; it reopens when it comes again"
            context.out.done(one, columns.findings(context.out), sentence)
            return Exit.OK

        def send(numbers: list[int]) -> api.FindingsChanged:
            return client.send(clear_findings(checked(api.FindingsToClear, findings=numbers)))

        return _change_many(context, client, ["open", "acknowledged"], send, "cleared")


def _change_many(
    context: Context,
    client: Client,
    states: list[api.FindingState],
    send: Callable[[list[int]], api.FindingsChanged],
    done: str,
) -> Exit:
    """Those that are chosen, a thousand at a time."""
    args, out = context.args, context.out
    like = (args.kind, args.severity, args.switch, args.mac)
    if bool(args.number) == any(like):
        raise Invalid(
            "name findings by their numbers, or say which with --kind, --severity, --switch or --mac"
        )
    chosen: list[api.Finding] = []
    if any(like):
        chosen = client.all(findings(**_like(context, client), states=states, limit=FINDINGS_AT_ONCE))
    elif args.dry_run:
        chosen = [client.send(finding(number)) for number in args.number]
    if args.dry_run:
        out.rows(chosen, columns.findings(out), empty="no finding is like that")
        out.note(f"{counted(len(chosen), 'finding')} would be {done}: this was a dry run")
        return Exit.OK
    answers = [send(part) for part in chunks(args.number or [one.id for one in chosen], FINDINGS_AT_ONCE)]
    changed = [number for one in answers for number in one.changed]
    over = [number for one in answers for number in one.over]
    if out.format == "json":
        out.json(api.FindingsChanged(changed=changed, over=over))
    were = f"; {len(over)} had been cleared before" if over else ""
    out.note(f"{counted(len(changed), 'finding')} {'is' if len(changed) == 1 else 'are'} {done}{were}")
    return Exit.OK


def _like(context: Context, client: Client) -> dict[str, Any]:
    """What the options say of findings."""
    args = context.args
    return {
        "kinds": args.kind or (),
        "severities": args.severity or (),
        "switch": args.switch,
        "mac": args.mac and whole_address(context, client, args.mac),
    }


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
