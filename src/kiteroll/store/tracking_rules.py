"""How the service tracks switches, for trackers of areas to do the same."""

from datetime import timedelta

from sqlalchemy import Connection, select
from sqlalchemy.dialects.mysql import insert

from kiteroll.core.tracking.admission import AdmissionLimits
from kiteroll.core.tracking.tracking_rules import TrackingRules
from kiteroll.store.tables import tracking_rules

_ROW = 1


def save_tracking_rules(connection: Connection, rules: TrackingRules) -> None:
    """In place of those of an earlier start."""
    values = {
        "hold_time_s": rules.hold_time_s,
        "new_addresses_per_port": rules.limits.per_port,
        "endpoints": rules.limits.endpoints,
    }
    statement = insert(tracking_rules).values(id=_ROW, **values)
    connection.execute(statement.on_duplicate_key_update(values))


def saved_tracking_rules(connection: Connection) -> TrackingRules | None:
    """None while no service of this version has run."""
    table = tracking_rules.c
    row = connection.execute(
        select(table.hold_time_s, table.new_addresses_per_port, table.endpoints)
    ).one_or_none()
    if row is None:
        return None
    hold_time_s, per_port, endpoints = row
    hold_time = None if hold_time_s is None else timedelta(seconds=hold_time_s)
    return TrackingRules(hold_time, AdmissionLimits(per_port=per_port, endpoints=endpoints))
