"""The audit log: appended to, read, never changed."""

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, and_, exists, insert, or_, select
from sqlalchemy.exc import IntegrityError

from kiteroll.core.access.audit_chain import FIRST, digest
from kiteroll.core.errors import Conflict
from kiteroll.core.model.paging import PageAsk
from kiteroll.store.paging import Key, Page, fetch_page
from kiteroll.store.tables import audit_entry

BEGUN = "begun"
DONE = "done"
SERVICE = "service"
"""Who did what nobody asked for by a call."""
FAILED = "failed"


@dataclass(frozen=True, slots=True, kw_only=True)
class AuditRow:
    number: int
    at: datetime
    call: str
    stage: str
    by: str
    via: str
    client: str
    action: str
    subject: str
    before: Any
    after: Any
    note: str
    digest_before: str
    digest: str

    def plain(self) -> dict[str, Any]:
        """As the chain digests it."""
        return {
            "number": self.number,
            "at": self.at.isoformat(),
            "call": self.call,
            "stage": self.stage,
            "by": self.by,
            "via": self.via,
            "client": self.client,
            "action": self.action,
            "subject": self.subject,
            "before": self.before,
            "after": self.after,
            "note": self.note,
            "digest_before": self.digest_before,
            "digest": self.digest,
        }


@dataclass(frozen=True, slots=True, kw_only=True)
class AuditFilters:
    by: str | None = None
    action: str | None = None
    """Or what it begins with: `rule` finds `rule.set`."""
    text: str | None = None
    """Somewhere in the subject or the values."""
    since: datetime | None = None
    until: datetime | None = None


_TRIES = 10


def append_own(
    connection: Connection,
    at: datetime,
    action: str,
    subject: str,
    *,
    via: str,
    note: str,
    by: str = SERVICE,
    before: Any = None,
    after: Any = None,
) -> AuditRow:
    """An entry of what no call did: the service itself, or a command of its machine."""
    values = {"call": "", "client": "", "stage": DONE, "by": by, "via": via, "action": action}
    values |= {"subject": subject[:255], "before": before, "after": after, "note": note}
    return append(connection, at, values)


def append(connection: Connection, at: datetime, values: Mapping[str, Any]) -> AuditRow:
    """`values`: call, stage, by, via, client, action, subject, before, after, note."""
    for _ in range(_TRIES):
        try:
            with connection.begin_nested():
                return _append(connection, at, values)
        except IntegrityError:
            # Another process (a backup, a restore) took the number while this waited for the last row.
            continue
    raise Conflict("the audit log is written by too many at once: try again")


def _append(connection: Connection, at: datetime, values: Mapping[str, Any]) -> AuditRow:
    table = audit_entry
    query = select(table.c.number, table.c.digest).order_by(table.c.number.desc()).limit(1)
    last = connection.execute(query.with_for_update()).first()
    number, before = (last.number + 1, last.digest) if last is not None else (1, FIRST)
    entry = {**values, "number": number, "at": at.isoformat()}
    own = digest(before, entry)
    connection.execute(
        insert(table).values(
            number=number,
            at=at,
            call_id=values["call"],
            stage=values["stage"],
            done_by=values["by"],
            via=values["via"],
            client=values["client"],
            action=values["action"],
            subject=values["subject"],
            value_before=_text(values["before"]),
            value_after=_text(values["after"]),
            note=values["note"],
            digest_before=before,
            digest=own,
        )
    )
    return AuditRow(**{**values, "number": number, "at": at, "digest_before": before, "digest": own})


def page(connection: Connection, filters: AuditFilters, ask: PageAsk) -> Page[AuditRow]:
    """Latest first; of a call that was finished only how it ended."""
    table = audit_entry
    ended = audit_entry.alias("ended")
    query = select(table).where(
        or_(
            table.c.stage != BEGUN,
            ~exists(
                select(ended.c.number).where(and_(ended.c.call_id == table.c.call_id, ended.c.stage != BEGUN))
            ),
        )
    )
    if filters.by is not None:
        query = query.where(table.c.done_by == filters.by)
    if filters.action is not None:
        query = query.where(table.c.action.startswith(filters.action, autoescape=True))
    if filters.since is not None:
        query = query.where(table.c.at >= filters.since)
    if filters.until is not None:
        query = query.where(table.c.at < filters.until)
    if filters.text:
        places = (table.c.subject, table.c.value_before, table.c.value_after)
        query = query.where(or_(*(one.contains(filters.text, autoescape=True) for one in places)))
    keys = (Key(table.c.number, descending=True),)
    return fetch_page(connection, query, keys, _row, ask, {"number": (Key(table.c.number),)})


def every_entry(connection: Connection) -> Iterator[AuditRow]:
    """First to last, for checking and exporting; to be streamed."""
    for row in connection.execute(select(audit_entry).order_by(audit_entry.c.number)):
        yield _row(row)


def entries_after(connection: Connection, number: int, limit: int) -> list[AuditRow]:
    """The next ones, in order."""
    query = select(audit_entry).where(audit_entry.c.number > number).order_by(audit_entry.c.number)
    return [_row(row) for row in connection.execute(query.limit(limit))]


def _text(value: Any) -> str | None:
    return None if value is None else json.dumps(value, sort_keys=True, ensure_ascii=False)


def _row(row: Any) -> AuditRow:
    return AuditRow(
        number=row.number,
        at=row.at,
        call=row.call_id,
        stage=row.stage,
        by=row.done_by,
        via=row.via,
        client=row.client,
        action=row.action,
        subject=row.subject,
        before=None if row.value_before is None else json.loads(row.value_before),
        after=None if row.value_after is None else json.loads(row.value_after),
        note=row.note,
        digest_before=row.digest_before,
        digest=row.digest,
    )
