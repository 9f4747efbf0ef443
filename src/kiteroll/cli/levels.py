"""Options that name a level of rules and its values; shared by the commands about rules."""

from pathlib import Path
from typing import Any

from kiteroll.cli import columns
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import checked, span_s
from kiteroll.core.errors import Invalid
from kiteroll.core.model import bounds
from kiteroll.core.model.ranges import parse_ranges
from kiteroll.core.model.whole_number import whole_number
from kiteroll.schemas import api

_YES_NO = {"yes": True, "no": False, "auto": None}
SEATS_HELP = (
    "Seats: a phone with a computer behind it takes two, a small switch its ports less one,\n"
    "a socket for one device one; 0 for a port where nobody may be."
)


def add_level(parser: Any) -> None:
    parser.add_argument("--group", metavar="NAME", help="of every port of a group's switches")
    parser.add_argument("--switch", metavar="NAME", help="of every port of a switch")
    parser.add_argument("--ports", metavar="RANGE", help="of these ports of --switch (p1-p20,p24)")
    parser.add_argument("--port", metavar="PORT", help="of this port of --switch alone")


def add_values(parser: Any) -> None:
    parser.add_argument("--seats", metavar="N", help="endpoints a port may carry, none for no limit, or auto")
    parser.add_argument("--watched", choices=("yes", "no", "auto"), help="whether strangers raise a finding")
    parser.add_argument("--vlans", metavar="LIST", help="VLANs expected (10,20-29), or auto")
    parser.add_argument(
        "--on-breach",
        choices=("record", "note", "warning", "serious", "propose", "close", "auto"),
        help="what breaking it does: nothing but the record, a finding so severe, propose to close, close",
    )
    parser.add_argument(
        "--reopen-after", metavar="SPAN", help="when a closed port is opened again (15m), never, or auto"
    )
    parser.add_argument("--uplinks", choices=("yes", "no", "auto"), help="whether it holds on uplinks too")
    parser.add_argument("--note", metavar="TEXT", help="what it is for")


def add_reason(parser: Any) -> None:
    parser.add_argument("--reason", metavar="TEXT", default="", help="why; kept in the log")


def add_dry_run(parser: Any) -> None:
    parser.add_argument("--dry-run", action="store_true", help="only show what would change")


def reason(context: Context) -> dict[str, str]:
    return {"reason": context.args.reason}


def level(context: Context) -> api.RuleLevel:
    """As it was typed. Raises Invalid."""
    args = context.args
    return checked(api.RuleLevel, group=args.group, switch=args.switch, ports=args.ports, port=args.port)


def level_text(one: api.RuleLevel) -> str:
    if one.group is not None:
        return f"group {one.group}"
    if one.switch is None:
        return "everything"
    if one.ports is not None:
        return f"{one.switch} ports {one.ports}"
    return f"{one.switch} port {one.port}" if one.port else f"switch {one.switch}"


def rule_change(context: Context) -> api.RuleChange:
    """What was typed to be set at a level. Raises Invalid where nothing was."""
    args = context.args
    values: dict[str, Any] = {}
    if args.seats is not None:
        values["seats"] = _seats(args.seats)
    for name in ("watched", "uplinks"):
        if (given := getattr(args, name)) is not None:
            values[name] = _YES_NO[given]
    if args.vlans is not None:
        values["vlans"] = None if args.vlans == "auto" else _vlans(args.vlans)
    if args.on_breach is not None:
        values["on_breach"] = None if args.on_breach == "auto" else args.on_breach
    if args.reopen_after is not None:
        values["reopen_after_s"] = _reopen(args.reopen_after)
    if args.note is not None:
        values["note"] = args.note
    if not values:
        raise Invalid("nothing to set was given: --seats, --watched, --vlans, --on-breach, ...")
    at = level(context).model_dump(exclude_none=True)
    try:
        return api.RuleChange.model_validate(at | values)
    except ValueError:
        return checked(api.RuleChange, **at, **values)


def _seats(text: str) -> int | str | None:
    if text in ("none", "auto"):
        return "no limit" if text == "none" else None
    number = whole_number(text, least=0, most=10_000)
    if number is None:
        raise Invalid(f"--seats {text!r}: a number of endpoints, none for no limit, or auto to inherit")
    return number


def _vlans(text: str) -> list[int]:
    try:
        return parse_ranges(text, bounds.VLAN)
    except Invalid as wrong:
        raise Invalid(f"--vlans {wrong}") from wrong


def _reopen(text: str) -> int | None:
    if text in ("never", "auto"):
        return 0 if text == "never" else None
    return int(span_s(text, "--reopen-after"))


def text_of(file: Path) -> str:
    """Of a file, or of standard input for `-`. Raises Invalid."""
    import sys

    if str(file) == "-":
        return sys.stdin.read()
    try:
        return file.read_text(encoding="utf-8")
    except OSError as wrong:
        raise Invalid(f"{file} cannot be read: {wrong.strerror}") from wrong
    except UnicodeDecodeError as wrong:
        raise Invalid(f"{file} is not UTF-8 text, at octet {wrong.start}") from wrong


def print_outcome(context: Context, outcome: api.RulesOutcome, sentence: str = "") -> Exit:
    """What a change of rules came to, or would."""
    out, args = context.out, context.args
    dry = getattr(args, "dry_run", False)
    if out.format == "json":
        out.json(outcome)
        return Exit.OK
    if outcome.differences and (dry or len(outcome.differences) > 1 or not sentence or out.format == "csv"):
        out.rows(outcome.differences, columns.rule_differences(), empty="")
    for text in outcome.cautions:
        out.note(text, "yellow")
    if dry:
        what = (
            "nothing would change" if not outcome.differences else "nothing was changed: this was a dry run"
        )
        out.note(what, "dim")
    elif not outcome.differences:
        out.note("nothing changed: it is so already", "dim")
    elif sentence:
        out.note(sentence)
    return Exit.OK
