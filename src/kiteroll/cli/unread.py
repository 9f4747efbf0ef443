"""`kiteroll switch unread`, and what tables of the past say of switches that were not read around then."""

from datetime import datetime
from typing import Any

from kiteroll.cli import columns
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.output import Output
from kiteroll.cli.parsing import add_command, shared
from kiteroll.client import Client, unread_switches

_NAMED = 3
"""Switches that a note names; of more it has the number."""


def add_to(verbs: Any) -> None:
    one = add_command(
        verbs,
        "unread",
        run_unread,
        "list switches that were not read around an instant",
        parents=(shared(),),
        detail="What is known of them at that instant is as of the reading before it.",
    )
    one.add_argument("--at", metavar="WHEN", help="2h, 14:05, a full time (default: now)")
    one.add_argument("--group", metavar="NAME", help="of this group")


def run_unread(context: Context) -> Exit:
    args, at = context.args, context.instant(context.args.at)
    with context.client() as client:
        found = client.all(unread_switches(at=at, group=args.group))
    context.out.rows(found, columns.unread_switches(), empty=f"every switch was read {_when(at)}")
    return Exit.OK


def note_unread(
    out: Output, client: Client, at: datetime | None, *, switch: str | None, group: str | None = None
) -> None:
    """Under a table that says how things were at an instant."""
    if out.format != "table":
        return
    found = client.all(unread_switches(at=at, switch=switch, group=group))
    if not found:
        return
    names = ", ".join(one.switch for one in found[:_NAMED])
    more = f" and {len(found) - _NAMED} more" if len(found) > _NAMED else ""
    see = f" --at {at:%Y-%m-%dT%H:%M:%SZ}" if at else ""
    out.note(
        f"not read {_when(at)}: {names}{more}; what is said of them then is as of the reading before "
        f"(`kiteroll switch unread{see}`)",
        "yellow",
    )


def _when(at: datetime | None) -> str:
    return f"around {at:%Y-%m-%d %H:%M:%SZ}" if at else "lately"
