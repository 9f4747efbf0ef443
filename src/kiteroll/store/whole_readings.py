"""Whole readings of switches around an instant."""

from collections.abc import Collection
from datetime import datetime

from sqlalchemy import Connection, ScalarSelect, select

from kiteroll.store.predicates import one_of
from kiteroll.store.tables import reading, switch


def read_at(connection: Connection, switches: Collection[str], at: datetime) -> dict[str, datetime]:
    """When each switch was last read whole by then."""
    query = select(switch.c.name, _latest_by(at)).where(switch.c.name.in_(switches))
    return {name: taken_at for name, taken_at in connection.execute(query) if taken_at is not None}


def readings_around(
    connection: Connection, switch_ids: Collection[int], at: datetime
) -> dict[int, tuple[datetime | None, datetime | None]]:
    """By id of these switches: the latest whole reading by an instant, and the first one after it."""
    query = select(switch.c.id, _latest_by(at), _first_after(at)).where(one_of(switch.c.id, switch_ids))
    return {number: (before, after) for number, before, after in connection.execute(query)}


# Of a row of `switch`: each goes along the index from the instant, and stops at the first reading that fits.


def _latest_by(at: datetime) -> ScalarSelect[datetime]:
    return _WHOLE.where(reading.c.taken_at <= at).order_by(reading.c.taken_at.desc()).scalar_subquery()


def _first_after(at: datetime) -> ScalarSelect[datetime]:
    return _WHOLE.where(reading.c.taken_at > at).order_by(reading.c.taken_at).scalar_subquery()


_WHOLE = (
    select(reading.c.taken_at)
    .where(reading.c.switch_id == switch.c.id, reading.c.outcome == "complete")
    .limit(1)
    .correlate(switch)
)
