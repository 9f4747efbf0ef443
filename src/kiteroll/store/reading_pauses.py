"""When switches were not read whole for longer than goes unnoticed, from the log of readings."""

from collections.abc import Collection
from datetime import datetime, timedelta

from sqlalchemy import Connection, func, select, text

from kiteroll.core.tracking.pauses import ReadingPause, Span, longest_unnoticed, pauses_during, pauses_of
from kiteroll.store.stay_queries import Filters, placed, placed_stay
from kiteroll.store.tables import reading, stay


def reading_pauses(
    connection: Connection, stays: Collection[int], since: datetime, now: datetime
) -> list[ReadingPause]:
    """During these stays, by id; those that ended since then or last, earliest first. Of times whose readings
    are not kept any more nothing is known."""
    rows = list(connection.execute(placed(Filters(open_only=False)).where(stay.c.id.in_(stays))))
    of_switch: dict[int, list[Span]] = {}
    found = []
    for row in rows:
        one = placed_stay(row)
        if row.switch_id not in of_switch:
            apart = _too_far_apart(connection, row.switch_id, since, longest_unnoticed(one.ageing))
            of_switch[row.switch_id] = pauses_of(apart, one.read_at, one.ageing, now)
        found += pauses_during(one.stay, of_switch[row.switch_id])
    return sorted(found, key=lambda one: (one.began_at, one.place.switch, one.place.port))


def _too_far_apart(
    connection: Connection, switch_id: int, since: datetime, unnoticed: timedelta
) -> list[tuple[datetime, datetime]]:
    """Whole readings of a switch that followed each other later than that, the second of them since then."""
    whole = (reading.c.switch_id == switch_id, reading.c.outcome == "complete")
    before = select(func.max(reading.c.taken_at)).where(*whole, reading.c.taken_at < since).scalar_subquery()
    times = (
        select(
            reading.c.taken_at,
            func.lag(reading.c.taken_at).over(order_by=reading.c.taken_at).label("before"),
        )
        .where(*whole, reading.c.taken_at >= func.coalesce(before, since))
        .subquery()
    )
    apart = func.timestampdiff(text("MICROSECOND"), times.c.before, times.c.taken_at)
    query = select(times.c.before, times.c.taken_at).where(apart > unnoticed / timedelta(microseconds=1))
    return [(began, ended) for began, ended in connection.execute(query.order_by(times.c.taken_at))]
