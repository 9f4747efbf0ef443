"""`kiteroll endpoint ...`, `kiteroll way` and `kiteroll port`: one endpoint, and what a port is."""

from itertools import islice
from typing import Any

from kiteroll.cli import columns
from kiteroll.cli.context import Context
from kiteroll.cli.exits import Exit
from kiteroll.cli.parsing import add_command, add_group, checked, shared
from kiteroll.client import (
    change_endpoint,
    change_port,
    endpoint,
    findings,
    ips,
    links,
    quiet_times,
    stays,
    way,
)
from kiteroll.core.errors import Invalid
from kiteroll.schemas import api


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    verbs = add_group(commands, "endpoint", "show or name one endpoint", of="VERB")
    one = add_command(
        verbs, "show", run_show, "show where it is, why, how sure that is, and where it was", parents=parents
    )
    one.add_argument("mac", metavar="ADDRESS")
    one.add_argument("--limit", type=int, default=30, help="stays at most (default 30)")
    one.add_argument("--at", metavar="WHEN", help="as it was known then (2h, 14:05, a full time)")
    one = add_command(verbs, "quiet", run_quiet, "show when it was not heard where it was", parents=parents)
    one.add_argument("mac", metavar="ADDRESS")
    one.add_argument("--days", type=float, default=30, help="how far back (default 30)")
    one.add_argument("--uplinks", action="store_true", help="also on ports that lead to other switches")
    one = add_command(verbs, "change", run_change, "give it a label, an owner or notes", parents=parents)
    one.add_argument("mac", metavar="ADDRESS")
    for name in ("label", "owner", "notes"):
        one.add_argument(f"--{name}", metavar="TEXT")

    one = add_command(commands, "way", run_way, "show the way to an endpoint, hop by hop", parents=parents)
    one.add_argument("mac", metavar="ADDRESS")
    one.add_argument("--from", dest="start", metavar="SWITCH", help="where to begin (default: furthest away)")
    one.add_argument("--at", metavar="WHEN", help="as it was known then (2h, 14:05, a full time)")

    verbs = add_group(commands, "port", "say what a port is, or see its link come and go", of="VERB")
    one = add_command(verbs, "links", run_links, "show what became of a port's link", parents=parents)
    one.add_argument("switch")
    one.add_argument("port")
    one.add_argument("--days", type=float, default=7, help="how far back (default 7)")
    one = add_command(
        verbs, "role", run_role, "say that a port is an uplink or an access port", parents=parents
    )
    one.add_argument("switch")
    one.add_argument("port")
    one.add_argument("role", choices=("uplink", "access", "auto"), help="auto takes your word back")


def run_show(context: Context) -> Exit:
    args, out = context.args, context.out
    with context.client() as client:
        at = context.instant(args.at)
        one = client.ask(endpoint(args.mac, at=at))
        if out.shape == "json":
            out.json(one)
            return Exit.FINE
        hops = client.ask(way(args.mac, at=at))
        history = list(islice(client.each(stays(mac=args.mac, ended=True, limit=args.limit)), args.limit))
        answered = client.ask(ips(args.mac))
        found = list(islice(client.each(findings(mac=args.mac, parts=True, states=_ALL)), 20))
    if out.shape == "csv":
        out.rows([one], columns.endpoints(out), empty="")
        return Exit.FINE
    home = one.home
    facts = [
        ("address", one.mac),
        ("label", one.label),
        ("owner", one.owner),
        ("notes", one.notes),
        ("maker", one.maker or one.assigned),
        ("ip", one.ips),
        ("name", one.names),
        ("home", "none" if home is None else f"{home.switch} port {home.port} {home.port_alias}".strip()),
        ("vlan", "" if home is None else columns.vlan_text(home.vlan, home.vlan_name)),
        ("since", "" if home is None else f"{out.age(home.began_at)}, last seen {out.age(home.seen_at)} ago"),
        ("how sure", one.confidence),
        ("first seen", f"{out.age(one.first_seen_at)} ago"),
    ]
    out.facts((name, value) for name, value in facts if value)
    for reason in one.reasons:
        out.line(f"  because {reason}")
    out.line("")
    out.rows(hops, columns.hops(), empty="no way is known")
    out.line("")
    out.rows(history, columns.stays(out), empty="")
    if answered:
        out.line("")
        out.rows(answered, columns.ip_stays(out), empty="")
    if found:
        out.line("")
        out.rows(found, columns.findings(out), empty="")
    return Exit.FINE


_ALL: tuple[api.FindingState, ...] = ("open", "acknowledged", "cleared")


def run_quiet(context: Context) -> Exit:
    args, out = context.args, context.out
    with context.client() as client:
        found = client.ask(quiet_times(args.mac, days=args.days, uplinks=args.uplinks))
    out.rows(found, columns.quiet_times(), empty=f"it was never quiet for {args.days:g} days")
    return Exit.FINE if found else Exit.NOTHING


def run_change(context: Context) -> Exit:
    args = context.args
    change = checked(api.EndpointChange, label=args.label, owner=args.owner, notes=args.notes)
    if change == api.EndpointChange():
        raise Invalid("nothing to change was given: --label, --owner or --notes")
    with context.client() as client:
        one = client.ask(change_endpoint(args.mac, change))
    context.out.done(one, columns.endpoints(context.out), f"{one.mac} is changed")
    return Exit.FINE


def run_way(context: Context) -> Exit:
    args, out = context.args, context.out
    with context.client() as client:
        hops = client.ask(way(args.mac, start=args.start, at=context.instant(args.at)))
    out.rows(hops, columns.hops(), empty="no way is known: `kiteroll endpoint show` says why")
    return Exit.FINE if hops else Exit.NOTHING


def run_links(context: Context) -> Exit:
    args, out = context.args, context.out
    with context.client() as client:
        found = client.ask(links(args.switch, args.port, days=args.days))
    out.rows(found, columns.links(out), empty=f"its link stayed as it was for {args.days:g} days")
    return Exit.FINE if found else Exit.NOTHING


def run_role(context: Context) -> Exit:
    args = context.args
    change = api.PortChange(role=None if args.role == "auto" else args.role)
    with context.client() as client:
        (one,) = client.ask(change_port(args.switch, args.port, change))
    told = f"{one.switch} port {one.name} counts as {one.role}: {one.role_why}"
    context.out.done(one, columns.ports(context.out), told)
    return Exit.FINE
