"""`kiteroll endpoint ...` and `kiteroll path`: where endpoints are and were, and what is known of one."""

from itertools import islice
from typing import Any

from kiteroll.cli import columns, links
from kiteroll.cli.addresses import whole_address
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command, add_group, add_limit, checked, note_cut, shared
from kiteroll.cli.unread import note_unread
from kiteroll.client import (
    change_endpoint,
    endpoint,
    endpoint_links,
    endpoints,
    enrolment_of,
    findings,
    homes,
    ips,
    path,
    quiet_times,
    reading_pauses,
    stays,
)
from kiteroll.core.errors import Invalid
from kiteroll.schemas import api
from kiteroll.wording.topology import area_text


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    verbs = add_group(
        commands, "endpoint", "list endpoints, show where they are, change their labels", of="VERB"
    )
    one = add_command(
        verbs,
        "list",
        run_list,
        "list who is on a switch, a port or a VLAN",
        parents=parents,
        detail="  kiteroll endpoint list --switch quay-1 --port p18\n"
        "  kiteroll endpoint list --vlan 20 --at 14:05",
    )
    one.add_argument("--switch", metavar="NAME", help="on this switch")
    one.add_argument("--port", metavar="PORT", help="on this port of --switch")
    one.add_argument("--vlan", type=int, metavar="ID", help="in this VLAN, wherever it reaches")
    one.add_argument("--ended", action="store_true", help="also who was there before")
    one.add_argument("--at", metavar="WHEN", help="who was there then (2h, 14:05, a full time)")
    add_limit(one)
    one = add_command(
        verbs,
        "all",
        run_all,
        "list all known endpoints, one a row, narrowed down by where they are at home",
        parents=parents,
        detail="  kiteroll endpoint all --site Quays --life quiet\n"
        "  kiteroll endpoint all --switch 'quay-*' --maker lantern --first-seen 1w",
    )
    for name in ("switch", "port", "site", "group", "maker"):
        one.add_argument(f"--{name}", metavar="NAME")
    one.add_argument("--vlan", type=int, metavar="ID")
    one.add_argument("--life", action="append", choices=("present", "quiet", "gone"))
    one.add_argument("--confidence", action="append", choices=("sure", "likely", "doubtful", "none"))
    one.add_argument("--first-seen", metavar="WHEN", help="only those seen for the first time since then")
    add_limit(one)
    one = add_command(
        verbs, "open", run_open, "print the links to an endpoint, or one of them", parents=parents
    )
    one.add_argument("mac", metavar="ADDRESS")
    one.add_argument("link", metavar="LINK", nargs="?")
    one = add_command(
        verbs, "show", run_show, "show where it is, why, how sure that is, and where it was", parents=parents
    )
    one.add_argument("mac", metavar="ADDRESS")
    one.add_argument("--limit", type=int, default=30, help="stays at most (default 30)")
    one.add_argument("--at", metavar="WHEN", help="as it was known then (2h, 14:05, a full time)")
    one = add_command(verbs, "homes", run_homes, "show where it was at home over time", parents=parents)
    one.add_argument("mac", metavar="ADDRESS")
    one.add_argument("--days", type=float, default=30, help="how far back (default 30)")
    for name, run, text in (
        ("quiet-times", run_quiet_times, "show when it was missing where it was"),
        (
            "reading-pauses",
            run_reading_pauses,
            "show when its switch was read too seldom to know that it was there",
        ),
    ):
        one = add_command(verbs, name, run, text, parents=parents)
        one.add_argument("mac", metavar="ADDRESS")
        one.add_argument("--days", type=float, default=30, help="how far back (default 30)")
        one.add_argument("--uplinks", action="store_true", help="also on uplinks")
    one = add_command(verbs, "change", run_change, "set its label, owner or notes", parents=parents)
    one.add_argument("mac", metavar="ADDRESS")
    for name in ("label", "owner", "notes"):
        one.add_argument(f"--{name}", metavar="TEXT")

    one = add_command(commands, "path", run_path, "show the path to an endpoint, hop by hop", parents=parents)
    one.add_argument("mac", metavar="ADDRESS")
    one.add_argument(
        "--from",
        dest="start",
        metavar="WHERE",
        help="a switch, or another endpoint: its address, IP, host name or label (default: the switch "
        "furthest away)",
    )
    one.add_argument("--at", metavar="WHEN", help="as it was known then (2h, 14:05, a full time)")


def run_list(context: Context) -> Exit:
    args, out = context.args, context.out
    if args.switch is None and args.vlan is None:
        raise Invalid(
            "name a --switch (and a --port of it), or a --vlan; `kiteroll endpoint all` lists all there are"
        )
    at = context.instant(args.at)
    request = stays(
        switch=args.switch,
        port=args.port,
        vlan=args.vlan,
        ended=args.ended,
        at=at,
        limit=min(args.limit, 1000),
    )
    with context.client() as client:
        answer = list(islice(client.each(request), args.limit))
        out.rows(
            answer, columns.stays(out), empty=f"no addresses {_where(args.switch, args.port, args.vlan)}"
        )
        note_cut(context, len(answer))
        if at is not None:
            note_unread(out, client, at, switch=args.switch)
    return Exit.OK if answer else Exit.NOTHING


def run_all(context: Context) -> Exit:
    args, out = context.args, context.out
    request = endpoints(
        switch=args.switch,
        port=args.port,
        vlan=args.vlan,
        site=args.site,
        group=args.group,
        maker=args.maker,
        lives=args.life or (),
        confidences=args.confidence or (),
        since=context.instant(args.first_seen),
        limit=min(args.limit, 1000),
    )
    with context.client() as client:
        answer = list(islice(client.each(request), args.limit))
    out.rows(answer, columns.endpoints(out), empty="no endpoint is like that")
    note_cut(context, len(answer))
    return Exit.OK if answer else Exit.NOTHING


def run_open(context: Context) -> Exit:
    with context.client() as client:
        found = client.all(endpoint_links(whole_address(context, client, context.args.mac)))
    return links.print_links(context, found)


def run_show(context: Context) -> Exit:
    args, out = context.args, context.out
    with context.client() as client:
        at = context.instant(args.at)
        mac = whole_address(context, client, args.mac)
        one = client.send(endpoint(mac, at=at))
        if out.format == "json":
            out.json(one)
            return Exit.OK
        hops = client.all(path(mac, at=at))
        history = list(islice(client.each(stays(mac=mac, ended=True, limit=args.limit)), args.limit))
        answered = client.all(ips(mac))
        rolls = client.send(enrolment_of(mac))
        found = list(islice(client.each(findings(mac=mac, parts=True, states=_ALL)), 20))
    if out.format == "csv":
        out.rows([one], columns.endpoints(out), empty="")
        return Exit.OK
    home = one.home
    facts = [
        ("address", one.mac),
        ("label", one.label),
        ("owner", one.owner),
        ("notes", one.notes),
        ("maker", one.maker or one.origin),
        ("ip", one.ips),
        ("host name", one.host_names),
        ("home", "none" if home is None else _at(home)),
        ("elsewhere", [f"{_at(other.home)} ({area_text(other.area)})" for other in one.homes_elsewhere]),
        ("vlan", "" if home is None else columns.vlan_text(home.vlan, home.vlan_name)),
        ("since", "" if home is None else f"{out.age(home.began_at)}, last seen {out.age(home.seen_at)} ago"),
        ("confidence", one.confidence),
        ("enrolled at", rolls.enrolled),
        ("barred", rolls.barred),
        ("first seen", f"{out.age(one.first_seen_at)} ago"),
    ]
    out.facts((name, value) for name, value in facts if value)
    for reason in one.reasons:
        out.line(f"  because: {reason}")
    out.line("")
    out.rows(hops, columns.hops(), empty="no path is known")
    out.line("")
    out.rows(history, columns.stays(out), empty="")
    if answered:
        out.line("")
        out.rows(answered, columns.ip_stays(out), empty="")
    if found:
        out.line("")
        out.rows(found, columns.findings(out), empty="")
    return Exit.OK


def _at(home: api.Place) -> str:
    return f"{home.switch} port {home.port} {home.port_alias}".strip()


_ALL: tuple[api.FindingState, ...] = ("open", "acknowledged", "cleared")


def run_homes(context: Context) -> Exit:
    args, out = context.args, context.out
    with context.client() as client:
        found = client.all(homes(whole_address(context, client, args.mac), days=args.days))
    out.rows(found, columns.homes(), empty=f"it was at home nowhere in the last {args.days:g} days")
    return Exit.OK if found else Exit.NOTHING


def run_quiet_times(context: Context) -> Exit:
    args, out = context.args, context.out
    with context.client() as client:
        found = client.all(
            quiet_times(whole_address(context, client, args.mac), days=args.days, uplinks=args.uplinks)
        )
    out.rows(found, columns.quiet_times(), empty=f"it was never quiet in the last {args.days:g} days")
    return Exit.OK if found else Exit.NOTHING


def run_reading_pauses(context: Context) -> Exit:
    args, out = context.args, context.out
    with context.client() as client:
        found = client.all(
            reading_pauses(whole_address(context, client, args.mac), days=args.days, uplinks=args.uplinks)
        )
    empty = f"its switches were read without a pause in the last {args.days:g} days"
    out.rows(found, columns.reading_pauses(), empty=empty)
    return Exit.OK if found else Exit.NOTHING


def run_change(context: Context) -> Exit:
    args = context.args
    change = checked(api.EndpointChange, label=args.label, owner=args.owner, notes=args.notes)
    if change == api.EndpointChange():
        raise Invalid("nothing to change was given: --label, --owner or --notes")
    with context.client() as client:
        one = client.send(change_endpoint(whole_address(context, client, args.mac), change))
    context.out.done(one, columns.endpoints(context.out), f"{one.mac} is changed")
    return Exit.OK


def run_path(context: Context) -> Exit:
    args, out = context.args, context.out
    with context.client() as client:
        mac = whole_address(context, client, args.mac)
        hops = client.all(path(mac, start=args.start, at=context.instant(args.at)))
    out.rows(hops, columns.hops(), empty="no path is known: `kiteroll endpoint show` says why")
    return Exit.OK if hops else Exit.NOTHING


def _where(switch: str | None, port: str | None, vlan: int | None) -> str:
    place = "" if switch is None else f"on {switch}" if port is None else f"on {switch} port {port}"
    return " ".join(part for part in (place, "" if vlan is None else f"in VLAN {vlan}") if part)
