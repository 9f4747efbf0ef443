"""Which changes on record were at ports that were no uplinks then."""

from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import ColumnElement, Connection, and_, case, exists, func, or_, select, text

from kiteroll.core.model.changes import ChangeKind
from kiteroll.core.topology.past_roles import FIRST_PICTURE_AFTER, ROLE_KNOWN_AFTER, ROLE_LOST_AFTER
from kiteroll.store.past_roles import recorded_since
from kiteroll.store.predicates import none_of
from kiteroll.store.tables import change_log, port_uplink

_LEAVING = (ChangeKind.QUIET.value, ChangeKind.GONE.value)


def at_access_ports(connection: Connection) -> ColumnElement[bool] | None:
    """Of rows of `change_log`; None where no port ever was an uplink."""
    first = recorded_since(connection)
    if first is None:
        return None
    then = ~_was_at_uplink(first)
    # Most uplinks always were: their rows, which are most of all there are, need no look at the records.
    ever = select(port_uplink.c.port_id).where(
        port_uplink.c.began_at <= first + FIRST_PICTURE_AFTER, port_uplink.c.ended_at.is_(None)
    )
    ids = connection.execute(ever).scalars().all()
    port_id = change_log.c.port_id
    return and_(or_(port_id.is_(None), none_of(port_id, ids)), then) if ids else then


def _was_at_uplink(recorded_since: datetime) -> ColumnElement[bool]:
    """Who left goes by what the port was until then, who came by what it became, which is known a little
    later. `recorded_since`: from when on roles are recorded; what was an uplink then is taken to have been
    one before."""
    known_by, lost_by = _unless_leaving(ROLE_KNOWN_AFTER), _unless_leaving(ROLE_LOST_AFTER)
    first_picture = recorded_since + FIRST_PICTURE_AFTER
    return (
        exists()
        .where(port_uplink.c.port_id == change_log.c.port_id)
        .where(or_(port_uplink.c.began_at <= known_by, port_uplink.c.began_at <= first_picture))
        .where(or_(port_uplink.c.ended_at.is_(None), port_uplink.c.ended_at > lost_by))
    )


def _unless_leaving(later_by: timedelta) -> ColumnElement[Any]:
    at = change_log.c.at
    later = func.timestampadd(text("SECOND"), int(later_by.total_seconds()), at)
    return case((change_log.c.kind.in_(_LEAVING), at), else_=later)
