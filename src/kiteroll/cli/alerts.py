"""`kiteroll alert, alert-route, planned-work`: which alerts go where, when none are sent, and which were."""

from datetime import timedelta
from itertools import islice
from typing import Any, get_args

from kiteroll.cli import columns
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command, add_group, add_limit, checked, note_cut, shared, span_s
from kiteroll.client import (
    alert_routes,
    alerts,
    end_work,
    plan_work,
    planned_work,
    remove_alert_route,
    set_alert_route,
)
from kiteroll.core.errors import Invalid
from kiteroll.schemas import api

_DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    verbs = add_group(commands, "alert", "list alerts that were sent, and those that wait", of="VERB")
    one = add_command(verbs, "list", run_alerts, "list alerts, latest first", parents=parents)
    one.add_argument("--state", action="append", choices=get_args(api.AlertState))
    one.add_argument("--target", metavar="NAME")
    one.add_argument("--finding", type=int, metavar="NUMBER", help="of this finding")
    add_limit(one, 100)

    verbs = add_group(commands, "alert-route", "set which alerts go where", of="VERB")
    add_command(verbs, "list", run_routes, "list routes", parents=parents)
    one = add_command(
        verbs,
        "set",
        run_set_route,
        "add a route, or replace one",
        parents=parents,
        detail="What is not given leaves nothing out. Findings that opened before are not sent.",
    )
    one.add_argument("name")
    one.add_argument("--target", required=True, metavar="NAME", help="where they go")
    one.add_argument("--severity", choices=("note", "warning", "serious"), help="and worse (default warning)")
    one.add_argument("--kind", action="append", dest="kinds", metavar="KIND", help="may be repeated")
    one.add_argument("--site", action="append", dest="sites", metavar="NAME", help="may be repeated")
    one.add_argument("--group", action="append", dest="groups", metavar="NAME", help="may be repeated")
    one.add_argument("--days", metavar="LIST", help="mon-fri, or sat,sun (default every day)")
    one.add_argument("--hours", metavar="FROM-UNTIL", help="08:00-17:00; 22:00-06:00 goes over midnight")
    one.add_argument("--zone", metavar="NAME", help="time zone of the hours, Europe/Oslo (default UTC)")
    one.add_argument("--remind-after", metavar="SPAN", help="again and again while nobody acknowledged it")
    one.add_argument(
        "--escalate-after", metavar="SPAN", help="send to --escalate-to when it stands for so long"
    )
    one.add_argument("--escalate-to", metavar="TARGET")
    one.add_argument("--not-over", action="store_true", help="send nothing when a finding is over")
    one.add_argument("--off", action="store_true", help="keep it, but send nothing")
    add_command(verbs, "remove", run_remove_route, "remove a route", parents=parents).add_argument("name")

    verbs = add_group(commands, "planned-work", "plan work during which no alerts are sent", of="VERB")
    add_command(verbs, "list", run_works, "list what is planned or running", parents=parents)
    one = add_command(
        verbs,
        "add",
        run_plan,
        "plan work: findings there are recorded, and no alerts are sent",
        parents=parents,
        detail="Alerts of what is still open are sent when it ends. All of site, switch and kind that are\n"
        "given must fit; with none of them no alerts are sent at all.",
    )
    one.add_argument("reason", help="why; shown with it")
    one.add_argument("--for", dest="span", metavar="SPAN", help="how long, such as 2h")
    one.add_argument("--until", metavar="WHEN", help="or up to when")
    one.add_argument("--from", dest="begins", metavar="WHEN", help="default now")
    one.add_argument("--site", metavar="NAME")
    one.add_argument("--switch", metavar="NAME")
    one.add_argument("--kind", metavar="KIND")
    one = add_command(verbs, "end", run_end, "end it now, or give it up", parents=parents)
    one.add_argument("number", type=int)


def run_alerts(context: Context) -> Exit:
    args = context.args
    question = alerts(
        states=args.state or (), target=args.target, finding=args.finding, limit=min(args.limit, 1000)
    )
    with context.client() as client:
        found = list(islice(client.each(question), args.limit))
    narrowed = args.state or args.target or args.finding is not None
    empty = "no alert is like that" if narrowed else "no alerts were sent"
    context.out.rows(found, columns.alerts(context.out), empty=empty)
    note_cut(context, len(found))
    return Exit.OK if found else Exit.NOTHING


def run_routes(context: Context) -> Exit:
    with context.client() as client:
        found = client.all(alert_routes())
    context.out.rows(found, columns.alert_routes(), empty="no routes: no alerts are sent")
    return Exit.OK


def run_set_route(context: Context) -> Exit:
    args = context.args
    since, until = _hours(args.hours) if args.hours else ("00:00", "00:00")
    days = _days(args.days) if args.days else None
    hours = checked(api.RouteHours, days=days, since=since, until=until, zone=args.zone)
    given = checked(
        api.AlertRouteSettings,
        target=args.target,
        severity=args.severity,
        kinds=args.kinds,
        sites=args.sites,
        groups=args.groups,
        hours=hours,
        send_cleared=not args.not_over,
        remind_after_s=_span(args.remind_after, "--remind-after"),
        escalate_after_s=_span(args.escalate_after, "--escalate-after"),
        escalate_to=args.escalate_to,
        enabled=not args.off,
    )
    with context.client() as client:
        made = client.send(set_alert_route(args.name, given))
    context.out.done(made, columns.alert_routes(), f"{made.name} is set")
    return Exit.OK


def run_remove_route(context: Context) -> Exit:
    with context.client() as client:
        client.send(remove_alert_route(context.args.name))
    context.out.note(f"{context.args.name} is removed")
    return Exit.OK


def run_works(context: Context) -> Exit:
    with context.client() as client:
        found = client.all(planned_work())
    context.out.rows(found, columns.planned_work(context.out), empty="no work is planned")
    return Exit.OK


def run_plan(context: Context) -> Exit:
    args = context.args
    begins = context.instant(args.begins)
    if (args.span is None) == (args.until is None):
        raise Invalid("give --for SPAN or --until WHEN")
    ends = context.instant(args.until)
    if args.span is not None:
        ends = (begins or context.now()) + timedelta(seconds=span_s(args.span, "--for"))
    where = {"site": args.site, "switch": args.switch, "kind": args.kind}
    new = checked(api.NewPlannedWork, begins_at=begins, ends_at=ends, reason=args.reason, **where)
    with context.client() as client:
        made = client.send(plan_work(new))
    done = f"planned work {made.id}, until {made.ends_at:%Y-%m-%d %H:%M} UTC"
    context.out.done(made, columns.planned_work(context.out), done)
    return Exit.OK


def run_end(context: Context) -> Exit:
    with context.client() as client:
        client.send(end_work(context.args.number))
    context.out.note(f"planned work {context.args.number} is over")
    return Exit.OK


def _span(text: str | None, option: str) -> int | None:
    return None if text is None else round(span_s(text, option))


def _hours(text: str) -> tuple[str, str]:
    since, dash, until = text.partition("-")
    if not dash:
        raise Invalid(f"--hours: {text!r} is not a span of a day, such as 08:00-17:00")
    return since.strip(), until.strip()


def _days(text: str) -> list[int]:
    """mon-fri,sun as numbers. Raises Invalid."""
    found: list[int] = []
    for part in text.lower().split(","):
        first, _, last = part.strip().partition("-")
        if first not in _DAYS or (last and last not in _DAYS):
            raise Invalid(f"--days: {part!r} is no day; they are {', '.join(_DAYS)}")
        begin, end = _DAYS.index(first), _DAYS.index(last or first)
        found += [day % 7 for day in range(begin, end + 1 if end >= begin else end + 8)]
    return sorted(set(found))
