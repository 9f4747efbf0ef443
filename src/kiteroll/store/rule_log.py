"""The log of rules: who set, enrolled, struck off or barred what, when and why."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, insert, select

from kiteroll.core.model.paging import PageAsk
from kiteroll.core.policy.levels import Level
from kiteroll.core.policy.port_rules import NoLimit, OnBreach
from kiteroll.core.policy.roll import Barred, Enrolled
from kiteroll.core.policy.rule_changes import Difference
from kiteroll.store.bulk import insert_all
from kiteroll.store.paging import Key, Page, fetch_page
from kiteroll.store.tables import rule_event


@dataclass(frozen=True, slots=True, kw_only=True)
class RuleEventRow:
    at: datetime
    by: str
    reason: str
    via: str
    level: Level
    what: str
    prefix: str
    """Empty where it is about no address."""
    before: Any
    after: Any


def log_differences(
    connection: Connection, found: Sequence[Difference], by: str, reason: str, via: str, at: datetime
) -> None:
    rows = [
        {
            "at": at,
            "done_by": by,
            "reason": reason,
            "via": via,
            "group_name": one.level.group,
            "switch_name": one.level.switch,
            "port_name": one.level.port,
            "port_range": one.level.ports,
            "what": one.what,
            "prefix": getattr(one.after if one.after is not None else one.before, "prefix", ""),
            "value_before": plain_value(one.before),
            "value_after": plain_value(one.after),
        }
        for one in found
    ]
    insert_all(connection, insert(rule_event), rows)


def events_page(
    connection: Connection,
    ask: PageAsk,
    *,
    switch: str | None,
    port: str | None,
    prefix: str | None,
) -> Page[RuleEventRow]:
    """Latest first."""
    query = select(rule_event)
    for column, value in (
        (rule_event.c.switch_name, switch),
        (rule_event.c.port_name, port),
        (rule_event.c.prefix, prefix),
    ):
        if value is not None:
            query = query.where(column == value)
    keys = (Key(rule_event.c.at, descending=True), Key(rule_event.c.id, descending=True))
    return fetch_page(
        connection, query, keys, _event, ask, {"at": (Key(rule_event.c.at), Key(rule_event.c.id))}
    )


def plain_value(value: Any) -> Any:
    """A value of a rule as JSON can hold it."""
    match value:
        case NoLimit() | OnBreach():
            return value.value
        case frozenset():
            return sorted(value)
        case Enrolled():
            return {
                "vlan": value.vlan,
                "note": value.note,
                "owner": value.owner,
                "expires_at": None if value.expires_at is None else value.expires_at.isoformat(),
            }
        case Barred():
            ends = None if value.expires_at is None else value.expires_at.isoformat()
            return {"reason": value.reason, "expires_at": ends}
        case _ if hasattr(value, "total_seconds"):
            return int(value.total_seconds())
        case _:
            return value


def _event(row: Any) -> RuleEventRow:
    return RuleEventRow(
        at=row.at,
        by=row.done_by,
        reason=row.reason,
        via=row.via,
        level=Level(row.group_name, row.switch_name, row.port_name, row.port_range),
        what=row.what,
        prefix=row.prefix,
        before=row.value_before,
        after=row.value_after,
    )
