"""Which changes on record were at ports that were uplinks then."""

from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import ColumnElement, case, exists, func, or_, text

from kiteroll.core.model.changes import ChangeKind
from kiteroll.core.topology.past_roles import FIRST_PICTURE_AFTER, ROLE_KNOWN_AFTER, ROLE_LOST_AFTER
from kiteroll.store.tables import change_log, port_uplink

_LEAVING = (ChangeKind.QUIET.value, ChangeKind.GONE.value)


def was_at_uplink(recorded_since: datetime) -> ColumnElement[bool]:
    """Of a row of `change_log`. Who left goes by what the port was until then, who came by what it became,
    which is known a little later. `recorded_since`: from when on roles are recorded; what was an uplink then
    is taken to have been one before."""
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
