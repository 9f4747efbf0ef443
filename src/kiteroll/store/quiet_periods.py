"""Quiet times: when an endpoint was missing where it was, from the log of changes. A stay itself keeps
only its last one."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from sqlalchemy import Connection, func, or_, select

from kiteroll.core.model.changes import ChangeKind
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.stay import Place, Stay
from kiteroll.store.tables import change_log, port, stay, switch


@dataclass(frozen=True, slots=True)
class QuietTime:
    """From the reading that first missed it until it was heard again or the stay ended."""

    stay: int
    place: Place
    began_at: datetime
    ended_at: datetime | None


def quiet_times(
    connection: Connection, macs: Sequence[MacAddress], since: datetime, until: datetime
) -> list[QuietTime]:
    """Those of these addresses that began in [since, until], earliest first; what came later is left out."""
    if not macs:
        return []
    query = (
        select(
            *(change_log.c.stay_id, change_log.c.kind, change_log.c.at, change_log.c.vlan),
            switch.c.name.label("switch_name"),
            port.c.name.label("port_name"),
            stay.c.ended_at,
        )
        .join(switch, switch.c.id == change_log.c.switch_id)
        .join(port, port.c.id == change_log.c.port_id)
        .join(stay, stay.c.id == change_log.c.stay_id)
        .where(change_log.c.mac.in_(macs), change_log.c.at >= since, change_log.c.at <= until)
        .where(change_log.c.kind.in_((ChangeKind.QUIET.value, ChangeKind.RETURNED.value)))
        .order_by(change_log.c.at, change_log.c.id)
    )
    found: list[QuietTime] = []
    last: dict[int, int] = {}
    for row in connection.execute(query):
        if row.kind == ChangeKind.QUIET.value:
            place = Place(row.switch_name, row.port_name, row.vlan or None)
            ended = row.ended_at if row.ended_at is not None and row.ended_at <= until else None
            last[row.stay_id] = len(found)
            found.append(QuietTime(row.stay_id, place, row.at, ended))
        elif (at := last.pop(row.stay_id, None)) is not None:
            found[at] = replace(found[at], ended_at=row.at)
    return found


@dataclass(frozen=True, slots=True)
class HeardThen:
    """Of a stay, as of an instant that it covers."""

    resumed_at: datetime
    """Since when it had been heard without a quiet time, by then."""
    quiet_since: datetime | None
    """When the quiet time began that it was in."""


def heard_then(connection: Connection, stays: Sequence[Stay], at: datetime) -> dict[int, HeardThen]:
    """By id, of these stays that cover an instant."""
    found = {
        one.id: HeardThen(one.resumed_at, one.quiet_at if one.quiet_at and one.quiet_at <= at else None)
        for one in stays
    }
    # Of those heard again after the instant, the log alone knows how it was before.
    later = {one.id: one for one in stays if one.resumed_at > at}
    found |= {number: HeardThen(one.began_at, None) for number, one in later.items()}
    if later:
        macs = sorted({one.mac for one in later.values()})
        times = quiet_times(connection, macs, min(one.began_at for one in later.values()), at)
        for one in times:
            if one.stay in later:
                resumed_at = one.ended_at or found[one.stay].resumed_at
                found[one.stay] = HeardThen(resumed_at, one.began_at if one.ended_at is None else None)
    return found


_MOST_ROWS = 200_000


def absences_on(connection: Connection, switch_id: int, since: datetime) -> list[tuple[str, timedelta]]:
    """Of endpoints that went quiet at a port of a switch and were heard there again: the port, and the
    longest time one was not heard."""
    query = (
        select(change_log.c.stay_id, change_log.c.kind, change_log.c.at, port.c.name, change_log.c.mac)
        .join(port, port.c.id == change_log.c.port_id)
        .where(change_log.c.switch_id == switch_id, change_log.c.at >= since)
        .where(change_log.c.kind.in_((ChangeKind.QUIET.value, ChangeKind.RETURNED.value)))
        .order_by(change_log.c.at, change_log.c.id)
        .limit(_MOST_ROWS)
    )
    quiet: dict[int, datetime] = {}
    longest: dict[tuple[str, int], timedelta] = {}
    for stay_id, kind, at, port_name, mac in connection.execute(query):
        if kind == ChangeKind.QUIET.value:
            quiet[stay_id] = at
        elif (began := quiet.pop(stay_id, None)) is not None:
            key = (port_name, int(mac))
            longest[key] = max(longest.get(key, timedelta(0)), at - began)
    return [(port_name, span) for (port_name, _), span in longest.items()]


def endpoints_on(connection: Connection, switch_id: int, since: datetime) -> dict[str, int]:
    """By port of a switch: how many endpoints were there since then."""
    query = (
        select(port.c.name, func.count(stay.c.mac.distinct()))
        .join(port, port.c.id == stay.c.port_id)
        .where(stay.c.switch_id == switch_id, or_(stay.c.ended_at.is_(None), stay.c.ended_at >= since))
        .group_by(port.c.name)
    )
    return {name: count for name, count in connection.execute(query)}
