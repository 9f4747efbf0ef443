"""`kiteroll audit`: who changed what, and whether the log is as it was written."""

import json
import sys
from collections.abc import Iterator
from itertools import islice
from pathlib import Path
from typing import Any

from kiteroll.cli import columns
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command, add_group, add_limit, note_cut, shared
from kiteroll.client import audit_log, audit_verdict
from kiteroll.core.access.audit_chain import FIELDS, Verdict, verify
from kiteroll.core.errors import Invalid


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    verbs = add_group(commands, "audit", "see who changed what, and check that the log is whole", of="VERB")
    one = add_command(verbs, "list", run_list, "list changes, latest first", parents=parents)
    one.add_argument("text", nargs="?", help="somewhere in the subject or the values")
    one.add_argument("--by", metavar="NAME", help="who")
    one.add_argument("--action", metavar="WHAT", help="or what it begins with: rule, switch.add")
    one.add_argument("--since", metavar="WHEN", help="from then on (15m, 2h, 14:05, ...)")
    one.add_argument("--until", metavar="WHEN")
    add_limit(one, 100)
    add_command(verbs, "export", run_export, "write all of it as JSON Lines to stdout", parents=parents)
    one = add_command(
        verbs,
        "verify",
        run_verify,
        "check that nothing was changed, removed or put in between",
        parents=parents,
        detail="Each entry holds a digest of itself and of the one before. With FILE, an export is\n"
        "checked here, without the service.",
    )
    one.add_argument("file", nargs="?", metavar="FILE", help="an export; - for standard input")


def run_list(context: Context) -> Exit:
    args = context.args
    question = audit_log(
        by=args.by,
        action=args.action,
        text=args.text,
        since=context.instant(args.since),
        until=context.instant(args.until),
        limit=min(args.limit, 1000),
    )
    with context.client() as client:
        found = list(islice(client.each(question), args.limit))
    context.out.rows(found, columns.audit_entries(), empty="no such change is in the log")
    note_cut(context, len(found))
    return Exit.OK if found else Exit.NOTHING


def run_export(context: Context) -> Exit:
    with context.client() as client:
        for piece in client.download("/audit-log/export"):
            sys.stdout.buffer.write(piece)
    return Exit.OK


def run_verify(context: Context) -> Exit:
    file = context.args.file
    if file is None:
        with context.client() as client:
            answer = client.send(audit_verdict())
        found = Verdict(answer.entries, answer.last_digest, answer.broken_at, answer.why)
    else:
        found = verify(_entries(file))
    if context.out.format == "json":
        context.out.json(
            {"entries": found.entries, "last": found.last, "broken_at": found.broken_at, "why": found.why}
        )
    elif found.broken_at is None:
        context.out.note(f"{found.entries} entries, as they were written; the last digest is")
        context.out.line(found.last)
    else:
        context.out.note(f"broken at entry {found.broken_at}: {found.why}", "red")
    return Exit.OK if found.broken_at is None else Exit.DIFFERS


def _entries(file: str) -> Iterator[dict[str, Any]]:
    """Raises Invalid for a line that is no entry."""
    with sys.stdin if file == "-" else Path(file).open() as lines:
        for number, line in enumerate(lines, start=1):
            try:
                entry = json.loads(line)
                if not all(name in entry for name in (*FIELDS, "digest", "digest_before")):
                    raise ValueError("it lacks fields")
            except (ValueError, TypeError) as wrong:
                raise Invalid(f"{file}: line {number} is no entry of an audit log: {wrong}") from wrong
            yield entry
