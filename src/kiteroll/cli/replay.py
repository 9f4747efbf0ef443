"""`kiteroll replay`: recorded readings through the finding engine, without service or database.

What plays them is imported only when it runs.
"""

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.output import Column
from kiteroll.cli.parsing import add_command
from kiteroll.core.errors import Invalid

if TYPE_CHECKING:
    from kiteroll.core.replay.replay import Replay

Row = dict[str, Any]


def add_commands(commands: Any) -> None:
    parser = add_command(
        commands,
        "replay",
        run_replay,
        "play recorded readings through the finding engine, without a service",
        detail="FILE holds reading documents (docs/reading-document.md): one, a list of them, or one a\n"
        "line; .gz is read too. Several files are merged by time; within a file the order of the lines\n"
        "is kept. The clock is that of the readings.\n"
        "  kiteroll replay site-7.jsonl.gz --rules rules.toml --format json",
    )
    parser.add_argument("file", metavar="FILE", type=Path, nargs="+")
    parser.add_argument(
        "--rules",
        metavar="FILE.toml",
        type=Path,
        help="rules of ports, as `kiteroll rule export` writes them; without groups",
    )
    parser.add_argument(
        "--shared",
        action="append",
        default=[],
        metavar="ADDRESS_OR_PREFIX",
        help="addresses that several devices use by design; may be given again",
    )
    parser.add_argument("--format", choices=("table", "json"), default="table", help="default table")


def run_replay(context: Context) -> Exit:
    from kiteroll.cli.replay_files import read_rules, readings_of
    from kiteroll.core.replay.replay import Replay

    args, out = context.args, context.out
    rules = None if args.rules is None else read_rules(args.rules)
    replay = Replay(shared=[_prefix(text) for text in args.shared], rules=rules)
    for reading in readings_of(args.file):
        replay.apply(reading)
    if replay.ignored:
        print(
            f"{replay.ignored} of {replay.readings} readings were not later than the one before of their "
            "switch, and were ignored",
            file=sys.stderr,
        )
    result = result_of(replay)
    if out.format == "json":
        out.json(result)
        return Exit.OK
    out.facts(
        (name, result[name]) for name in ("from", "until", "switches", "readings") if result[name] is not None
    )
    out.line("")
    out.rows(result["findings"], _FINDINGS, empty="no findings")
    return Exit.OK


_FINDINGS: list[Column[Row]] = [
    Column("finding", lambda row: row["id"], right=True, style=lambda _: "bold"),
    Column("kind", lambda row: row["kind"]),
    Column("severity", lambda row: row["severity"]),
    Column("opened", lambda row: row["opened_at"]),
    Column("last", lambda row: row["last_at"]),
    Column("cleared", lambda row: row["cleared_at"]),
    Column("part of", lambda row: row["part_of"], right=True),
    Column("title", lambda row: row["title"]),
    Column("likely cause", lambda row: row["cause"]),
]


def result_of(replay: "Replay") -> Row:
    """What `--format json` prints; docs/replay.md describes it."""
    from kiteroll.wording.finding_titles import title
    from kiteroll.wording.findings import cause

    numbers = {key: number for number, key in enumerate(replay.findings, start=1)}
    return {
        "from": _time(replay.began_at),
        "until": _time(replay.now),
        "switches": len(replay.facts.switches()),
        "readings": replay.readings,
        "findings": [
            {
                "id": numbers[key],
                "kind": one.kind.value,
                "severity": one.severity.value,
                "title": title(one),
                "cause": cause(one),
                "opened_at": _time(one.opened_at),
                "last_at": _time(one.last_at),
                "cleared_at": _time(one.cleared_at),
                "times_opened": one.times_opened,
                "count": one.count,
                "part_of": numbers.get(one.part_of),
                "mac": None if one.subject.mac is None else str(one.subject.mac),
                "switch": one.subject.switch or None,
                "port": one.subject.port or None,
                "ip": one.subject.ip or None,
                "ports": sorted(map(list, one.ports)),
                "macs": [str(mac) for mac in one.details.macs],
            }
            for key, one in replay.findings.items()
        ],
        "homes": [
            {
                "mac": str(one.subject),
                "switch": one.value.place.switch,
                "port": one.value.place.port,
                "vlan": one.value.place.vlan,
                "confidence": one.value.confidence.value,
                "from": _time(one.since),
                "until": _time(one.until),
            }
            for one in replay.homes
        ],
        "roles": [
            {
                "switch": one.subject[0],
                "port": one.subject[1],
                "role": one.value.value,
                "from": _time(one.since),
                "until": _time(one.until),
            }
            for one in replay.roles
        ],
    }


def _time(at: Any) -> str | None:
    return None if at is None else at.isoformat().replace("+00:00", "Z")


def _prefix(text: str) -> str:
    from kiteroll.core.model.makers import parse_address_or_prefix

    try:
        return parse_address_or_prefix(text)
    except Invalid as wrong:
        raise Invalid(f"--shared {wrong}") from wrong
