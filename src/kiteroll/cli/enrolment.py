"""`kiteroll enrolment ...`: windows in which those present become candidates, and the decision on each."""

from datetime import timedelta
from typing import Any

from kiteroll.cli import columns, levels
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command, add_group, checked, shared, span_s
from kiteroll.client import candidates, close_window, decide, enrolment_windows, open_window
from kiteroll.core.errors import Invalid
from kiteroll.schemas import api


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    verbs = add_group(
        commands, "enrolment", "open windows in which those present become candidates", of="VERB"
    )
    add_command(verbs, "list", run_list, "list windows, latest first", parents=parents)
    one = add_command(
        verbs,
        "open",
        run_open,
        "open a window at a level",
        parents=parents,
        detail="Nobody is enrolled by it: `kiteroll enrolment candidates` shows who was there, and a person\n"
        "accepts or refuses them. A window may begin in the past, for the records have who was there.\n"
        "  kiteroll enrolment open --switch quay-1 --for 7d --present-for 1h",
    )
    levels.add_level(one)
    one.add_argument(
        "--since", metavar="WHEN", help="when it begins (2h back, 14:05, a full time; default now)"
    )
    one.add_argument("--for", dest="lasts", metavar="SPAN", default="7d", help="how long (default 7d)")
    one.add_argument(
        "--present-for", metavar="SPAN", default="0s", help="for how long one must be present in it, in all"
    )
    one.add_argument("--note", default="", help="what it is for")
    one = add_command(
        verbs, "candidates", run_candidates, "list who was present in a window", parents=parents
    )
    one.add_argument("window", type=int)
    one.add_argument("--all", action="store_true", help="those decided on too")
    for name, run, summary in (
        ("accept", run_accept, "enrol candidates at their ports"),
        ("refuse", run_refuse, "say that candidates are not to be enrolled"),
    ):
        one = add_command(verbs, name, run, summary, parents=parents)
        one.add_argument("window", type=int)
        one.add_argument("mac", metavar="ADDRESS", nargs="*")
        one.add_argument("--all", action="store_true", help="everybody who waits for a decision")
        one.add_argument("--note", default="", help="what it is")
    one = add_command(verbs, "close", run_close, "decide on no more candidates", parents=parents)
    one.add_argument("window", type=int)


def run_list(context: Context) -> Exit:
    out = context.out
    with context.client() as client:
        found = client.all(enrolment_windows())
    out.rows(found, columns.windows(out), empty="no window yet: `kiteroll enrolment open` opens one")
    return Exit.OK


def run_open(context: Context) -> Exit:
    args = context.args
    begins = context.instant(args.since) or context.now()
    new = checked(
        api.NewWindow,
        level=levels.level(context),
        begins_at=begins,
        ends_at=begins + timedelta(seconds=span_s(args.lasts, "--for")),
        min_present_s=int(span_s(args.present_for, "--present-for")),
        note=args.note,
    )
    with context.client() as client:
        one = client.send(open_window(new))
    done = f"window {one.id} is {one.state} at {one.level}; `kiteroll enrolment candidates {one.id}`"
    context.out.done(one, columns.windows(context.out), done)
    return Exit.OK


def run_candidates(context: Context) -> Exit:
    args, out = context.args, context.out
    with context.client() as client:
        found = client.all(candidates(args.window))
    shown = [one for one in found if args.all or one.decision == "waiting"]
    out.rows(shown, columns.candidates(out), empty="no candidate waits for a decision")
    return Exit.OK if shown else Exit.NOTHING


def run_accept(context: Context) -> Exit:
    return _decide(context, accept=True)


def run_refuse(context: Context) -> Exit:
    return _decide(context, accept=False)


def _decide(context: Context, *, accept: bool) -> Exit:
    args = context.args
    if bool(args.mac) == args.all:
        raise Invalid("name the candidates, or give --all for everybody who waits")
    with context.client() as client:
        found = client.all(candidates(args.window))
        refs = _chosen(found, args.mac, args.all)
        if not refs:
            context.out.note("no candidate waits for a decision", "dim")
            return Exit.NOTHING
        decided: dict[str, Any] = {"accept" if accept else "refuse": refs}
        outcome = client.send(decide(args.window, api.Decisions(**decided, note=args.note)))
    if not accept:
        context.out.note(f"{len(refs)} refused")
        return Exit.OK
    return levels.print_outcome(context, outcome, f"{len(refs)} enrolled")


def _chosen(found: list[api.Candidate], macs: list[str], everybody: bool) -> list[api.CandidateRef]:
    if everybody:
        picked = [one for one in found if one.decision == "waiting"]
    else:
        picked = []
        for text in macs:
            digits = "".join(sign for sign in text.lower() if sign.isalnum())
            here = [one for one in found if digits and digits in one.mac.replace(":", "")]
            if len({one.mac for one in here}) != 1:
                what = "several candidates match" if here else "no candidate matches"
                raise Invalid(f"{text!r}: {what}; `kiteroll enrolment candidates` lists them")
            picked += here
    return [api.CandidateRef(mac=one.mac, switch=one.switch, port=one.port) for one in picked]


def run_close(context: Context) -> Exit:
    with context.client() as client:
        one = client.send(close_window(context.args.window))
    context.out.done(one, columns.windows(context.out), f"window {one.id} is closed")
    return Exit.OK
