"""How the service tracks switches, for trackers of areas to do the same."""

from datetime import timedelta

from sqlalchemy import Connection, delete, insert, select

from kiteroll.core.tracking.admission import AdmissionLimits
from kiteroll.core.tracking.tracking_rules import TrackingRules
from kiteroll.store.tables import tracking_rules

_ROW = 1


def save_tracking_rules(connection: Connection, rules: TrackingRules) -> None:
    """In place of those of an earlier start."""
    if saved_tracking_rules(connection) == rules:
        return
    connection.execute(delete(tracking_rules))
    connection.execute(
        insert(tracking_rules).values(
            id=_ROW,
            hold_time_s=None if rules.hold_time is None else rules.hold_time.total_seconds(),
            new_addresses_per_port=rules.limits.per_port,
            endpoints=rules.limits.endpoints,
        )
    )


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
