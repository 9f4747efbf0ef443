"""`kiteroll rehearse`: what changed rules would have found in the recorded past."""

import time
from itertools import islice
from pathlib import Path
from typing import Any

from rich.console import Console
from rich.progress import Progress

from kiteroll.cli import columns, levels
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command, add_limit, checked, shared
from kiteroll.client import begin_rehearsal, cancel_rehearsal, rehearsal, rehearsed_seats
from kiteroll.core.errors import Invalid, KiteRollError
from kiteroll.core.rehearsal.rehearsal import KEPT
from kiteroll.schemas import api
from kiteroll.wording.spans import counted

_POLL_EVERY_S = 0.3
_PORTS = 10


def add_commands(commands: Any) -> None:
    one = add_command(
        commands,
        "rehearse",
        run_rehearse,
        "show what changed rules would have found in the recorded past",
        parents=(shared(),),
        detail="Nothing is saved, and nothing live is touched. Without a change the rules in force are\n"
        "rehearsed. Ctrl-C cancels.\n"
        "  kiteroll rehearse --group access --seats 1 --since 30d\n"
        "  kiteroll rehearse --switch quay-1 --port p18 --watched yes\n"
        "  kiteroll rehearse --file rules.toml --of-site west\n"
        "  kiteroll rehearse --suggest-seats --of-switch quay-1\n"
        "Exits with 7 where there would have been findings.",
    )
    one.add_argument("--file", type=Path, metavar="RULES.toml", help="rules instead of those in force")
    levels.add_level(one)
    levels.add_values(one)
    one.add_argument("--since", metavar="WHEN", default="30d", help="from when on (default 30d back)")
    one.add_argument("--until", metavar="WHEN", help="until when (default now)")
    for name, what in (("site", "a site"), ("switch", "one switch"), ("group", "a group")):
        one.add_argument(f"--of-{name}", metavar="NAME", help=f"only the past of {what}")
    one.add_argument("--suggest-seats", action="store_true", help="list how many endpoints each port carried")
    add_limit(one, 50)


def run_rehearse(context: Context) -> Exit:
    args = context.args
    values = (
        args.seats,
        args.watched,
        args.vlans,
        args.on_breach,
        args.reopen_after,
        args.uplinks,
        args.note,
    )
    changes = [levels.rule_change(context)] if any(one is not None for one in values) else []
    if not changes and any((args.group, args.switch, args.port, args.ports)):
        raise Invalid("a level was named and nothing to set there; --of-switch and the like narrow the past")
    new = checked(
        api.NewRehearsal,
        changes=changes,
        file=None if args.file is None else levels.text_of(args.file),
        since=context.instant(args.since),
        until=context.instant(args.until),
        site=args.of_site,
        switch=args.of_switch,
        group=args.of_group,
    )
    run = _watched(context, new)
    if run.findings is None:
        raise KiteRollError(f"rehearsal {run.id} is {run.state}" + (f": {run.error}" if run.error else ""))
    return _print_run(context, run, run.findings)


def _watched(context: Context, new: api.NewRehearsal) -> api.RehearsalRun:
    """Until it ends. Ctrl-C cancels it."""
    console = Console(stderr=True)
    limit = context.args.limit
    with context.client() as client:
        run = client.send(begin_rehearsal(new))
        try:
            with Progress(console=console, transient=True, disable=not console.is_terminal) as progress:
                bar = progress.add_task("rehearsing", total=run.switches)
                while run.state == "running":
                    time.sleep(_POLL_EVERY_S)
                    run = client.send(rehearsal(run.id, breaches=min(limit, KEPT)))
                    progress.update(bar, completed=run.done)
        except KeyboardInterrupt:
            return client.send(cancel_rehearsal(run.id))
    return run


def _print_run(context: Context, run: api.RehearsalRun, found: api.RehearsalFindings) -> Exit:
    out, args = context.out, context.args
    verdict = Exit.BROKEN_RULE if found.reported else Exit.OK
    if out.format == "json":
        out.json(run)
        return verdict
    if args.suggest_seats:
        with context.client() as client:
            seats = list(islice(client.each(rehearsed_seats(run.id)), args.limit))
        out.rows(seats, columns.seat_suggestions(), empty="nobody was ever there")
        if found.seats_count > len(seats):
            out.note(
                f"{len(seats)} ports of {found.seats_count}, the fullest first; --limit shows more", "dim"
            )
        return Exit.OK
    if out.format == "csv":
        out.rows(found.breaches, columns.rehearsed_breaches(out), empty="")
        _note_longest(context, found)
        return verdict
    out.note(
        f"{run.since:%Y-%m-%d %H:%M} to {run.until:%Y-%m-%d %H:%M} UTC, {run.switches} switches, "
        f"{found.stays} intervals; {counted(run.changes, 'value')} changed in the rules in force",
        "dim",
    )
    if found.recorded_since is not None and found.recorded_since > run.since:
        out.note(f"the records begin {found.recorded_since:%Y-%m-%d %H:%M} UTC", "dim")
    if found.ports:
        shown = min(_PORTS, found.ports_count)
        worst = f", the worst {shown} of {found.ports_count}" if shown < found.ports_count else ""
        out.line(f"Ports that would have hurt{worst}")
        out.rows(found.ports[:_PORTS], columns.rehearsed_ports(), empty="")
        out.line("")
    out.rows(found.breaches, columns.rehearsed_breaches(out), empty="nothing would have been found")
    _note_longest(context, found)
    kinds = ", ".join(f"{count} {kind}" for kind, count in found.by_kind.items()) or "none"
    too_short = counted(found.not_reported, "breach", "breaches")
    count = counted(found.reported, "finding")
    out.note(f"{count} ({kinds}); {too_short} too short or only recorded", "bold")
    if found.without_effect_count:
        out.note(f"{found.without_effect_count} ports have a rule that nothing would have broken", "dim")
    return verdict


def _note_longest(context: Context, found: api.RehearsalFindings) -> None:
    """Note when not all breaches are listed; the service keeps so many of a rehearsal."""
    shown = len(found.breaches)
    if found.reported > shown:
        more = "narrow it with --of-switch or --since" if shown >= KEPT else "--limit shows more"
        context.out.note(f"the longest {shown} of {found.reported}; {more}", "dim")
