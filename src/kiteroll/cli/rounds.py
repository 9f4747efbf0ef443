"""`kiteroll round`, `site` and `group`: reading many switches now, how many at a time, areas, hold times."""

import time
from typing import Any

from rich.console import Console
from rich.progress import Progress

from kiteroll.cli import columns
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command, add_group, checked, shared, span_s
from kiteroll.client import (
    areas,
    begin_round,
    cancel_round,
    change_group,
    change_site,
    groups,
    resume_round,
    round_status,
    rounds,
    sites,
)
from kiteroll.core.errors import Invalid
from kiteroll.core.model.whole_number import whole_number
from kiteroll.schemas import api
from kiteroll.wording.spans import first_of

_POLL_EVERY_S = 0.3


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    verbs = add_group(commands, "round", "read many switches now, watch, cancel or resume", of="VERB")
    one = add_command(
        verbs,
        "begin",
        run_begin,
        "read switches now, with progress",
        parents=parents,
        detail="Ctrl-C cancels the round: what was read stays, and `round resume` reads the rest.",
    )
    one.add_argument("name", metavar="SWITCH", nargs="*", help="switches")
    one.add_argument("--group", metavar="NAME", help="those in this group")
    one.add_argument("--site", metavar="NAME", help="those at this site")
    one.add_argument("--all", action="store_true", help="every switch that is to be read")
    one.add_argument("--leave", action="store_true", help="begin it and do not wait")
    add_command(verbs, "list", run_list, "list the latest rounds", parents=parents)
    for verb, run, summary in (
        ("watch", run_watch, "watch a round until it ends"),
        ("cancel", run_cancel, "cancel a round; what was read stays"),
        ("resume", run_resume, "read the switches that are left"),
    ):
        add_command(verbs, verb, run, summary, parents=parents).add_argument("number", type=int)

    verbs = add_group(commands, "site", "list sites, set limits and areas", of="VERB")
    add_command(verbs, "list", run_sites, "list sites, their limits and areas", parents=parents)
    one = add_command(
        verbs, "limit", run_limit, "read at most so many switches of a site at once", parents=parents
    )
    one.add_argument("site")
    one.add_argument("concurrency", metavar="NUMBER", help="1 or more, or `none` for no limit")
    one = add_command(
        verbs,
        "area",
        run_area,
        "say which sites share layer 2",
        parents=parents,
        detail="Sites of one area share layer 2. The same address in two areas is two devices: each has a "
        "home, and neither counts as doubled. Sites that name no area are one.",
    )
    one.add_argument("site")
    one.add_argument("area", help="a name of your choice, or `none`")

    add_command(verbs, "areas", run_areas, "list areas, and who tracks their switches", parents=parents)

    verbs = add_group(commands, "group", "list groups, set what holds for their switches", of="VERB")
    add_command(verbs, "list", run_groups, "list groups of switches", parents=parents)
    one = add_command(
        verbs,
        "hold-time",
        run_hold_time,
        "set how long quiet addresses keep their stay on its switches",
        parents=parents,
    )
    one.add_argument("group")
    one.add_argument("span", metavar="SPAN", help="such as 30m, or `none` for the service's own")
    one = add_command(
        verbs,
        "shared-table",
        run_shared_table,
        "say whether its switches are a pair with one MAC address table",
        parents=parents,
        detail="An address that is present at both switches of such a pair is at one place, connected twice.",
    )
    one.add_argument("group")
    one.add_argument("answer", choices=("yes", "no"))


def run_groups(context: Context) -> Exit:
    with context.client() as client:
        answer = client.all(groups())
    context.out.rows(
        answer, columns.groups(), empty="no switch is in a group (`kiteroll switch change --group`)"
    )
    return Exit.OK


def run_hold_time(context: Context) -> Exit:
    args = context.args
    hold_time_s = None if args.span == "none" else round(span_s(args.span, "SPAN"))
    with context.client() as client:
        client.send(change_group(args.group, api.GroupChange(hold_time_s=hold_time_s)))
    span = "as set for the service" if hold_time_s is None else f"for {hold_time_s} s"
    context.out.note(f"quiet addresses on switches of {args.group} are held {span}")
    return Exit.OK


def run_shared_table(context: Context) -> Exit:
    args = context.args
    with context.client() as client:
        client.send(change_group(args.group, api.GroupChange(shares_tables=args.answer == "yes")))
    what = "share one MAC address table" if args.answer == "yes" else "have tables of their own"
    context.out.note(f"switches of {args.group} {what}")
    return Exit.OK


def run_begin(context: Context) -> Exit:
    return begin(context, wait=not context.args.leave)


def begin(context: Context, *, wait: bool = True) -> Exit:
    """As the options say: of `round begin`, and of `switch read`."""
    args = context.args
    if sum((bool(args.name), args.group is not None, args.site is not None, args.all)) != 1:
        raise Invalid("say which switches to read: some by name, --group NAME, --site NAME or --all")
    new = checked(api.NewRound, switches=args.name or None, group=args.group, site=args.site, all=args.all)
    with context.client() as client:
        begun = client.send(begin_round(new))
    if not wait:
        done = f"round {begun.id} reads {begun.total} switches; `kiteroll round watch {begun.id}`"
        context.out.done(begun, columns.rounds(context.out), done)
        return Exit.OK
    return _watch(context, begun.id)


def run_watch(context: Context) -> Exit:
    return _watch(context, context.args.number)


def run_resume(context: Context) -> Exit:
    with context.client() as client:
        resumed = client.send(resume_round(context.args.number))
    return _watch(context, resumed.id)


def run_cancel(context: Context) -> Exit:
    with context.client() as client:
        cancelled = client.send(cancel_round(context.args.number))
    done = f"round {cancelled.id} is cancelled; {len(cancelled.remaining)} switches were not read"
    context.out.done(cancelled, columns.rounds(context.out), done)
    return Exit.OK


def run_list(context: Context) -> Exit:
    with context.client() as client:
        answer = client.all(rounds())
    context.out.rows(answer, columns.rounds(context.out), empty="no rounds yet")
    return Exit.OK


def run_sites(context: Context) -> Exit:
    with context.client() as client:
        answer = client.all(sites())
    context.out.rows(answer, columns.sites(), empty="no switch has a site (`kiteroll switch change --site`)")
    return Exit.OK


def run_areas(context: Context) -> Exit:
    with context.client() as client:
        answer = client.all(areas())
    context.out.rows(answer, columns.areas(), empty="no switches yet")
    return Exit.OK


def run_limit(context: Context) -> Exit:
    text = context.args.concurrency
    number = whole_number(text, most=10**6)
    if text != "none" and number is None:
        raise Invalid(f"{text!r} is not a number of switches: write 1 or more, or none")
    limit = checked(api.SiteChange, concurrency=None if text == "none" else number)
    with context.client() as client:
        client.send(change_site(context.args.site, limit))
    at_most = (
        "has no limit of its own"
        if limit.concurrency is None
        else f"is read {limit.concurrency} at once at most"
    )
    context.out.note(f"{context.args.site} {at_most}")
    return Exit.OK


def run_area(context: Context) -> Exit:
    site, area = context.args.site, context.args.area
    change = checked(api.SiteChange, area="" if area == "none" else area)
    with context.client() as client:
        client.send(change_site(site, change))
        others = [one.name for one in client.all(sites()) if one.area == change.area and one.name != site]
    beside = f"with {first_of(others, 5)}" if others else "and no other site is"
    context.out.note(
        f"{site} is in area {change.area}, {beside}" if change.area else f"{site} is in no area of its own"
    )
    return Exit.OK


def _watch(context: Context, number: int) -> Exit:
    """Until it ends. Ctrl-C cancels it."""
    console = Console(stderr=True)
    with context.client() as client:
        now = client.send(round_status(number))
        try:
            with Progress(console=console, transient=True, disable=not console.is_terminal) as progress:
                bar = progress.add_task("reading", total=now.total, completed=now.tried)
                while now.state == "running":
                    time.sleep(_POLL_EVERY_S)
                    now = client.send(round_status(number))
                    progress.update(bar, completed=now.tried)
        except KeyboardInterrupt:
            now = client.send(cancel_round(number))
    out = context.out
    out.rows([now], columns.rounds(out), empty="")
    for name in now.failed:
        out.note(f"not read completely: {name} (`kiteroll switch show {name}` says why)", "yellow")
    if now.state != "done":
        out.note(f"{len(now.remaining)} not read; `kiteroll round resume {number}` goes on", "yellow")
        return Exit.PARTIAL
    for name in now.remaining:
        out.note(f"not tried: {name} (`kiteroll switch read {name}` says why)", "yellow")
    return Exit.PARTIAL if now.failed or now.remaining else Exit.OK
