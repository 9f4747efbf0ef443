"""Queries as of an instant: stays and the network as they were known then."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime

from kiteroll.app.topology_view import NetworkView, TopologyView
from kiteroll.clock import Clock
from kiteroll.core.errors import Invalid
from kiteroll.core.tracking.differences import covers
from kiteroll.store import port_history, whole_readings
from kiteroll.store.database import Database
from kiteroll.store.quiet_periods import heard_then
from kiteroll.store.stay_queries import PlacedStay


def past_instant(clock: Clock, at: datetime | None) -> datetime | None:
    """The instant asked for; None for now. Raises Invalid when it has no zone or is in the future."""
    if at is None:
        return None
    if at.tzinfo is None:
        raise Invalid("at: a time needs a zone, such as 2026-05-04T14:05:00Z")
    if at > clock.now():
        raise Invalid(f"at: {at.isoformat()} is in the future; leave it out for now")
    return at


def stays_as_of(database: Database, rows: Sequence[PlacedStay], at: datetime) -> list[PlacedStay]:
    """Stays as they were known at an instant; those that had ended by then stay ended."""
    read_at = database.run(whole_readings.read_at, {row.stay.place.switch for row in rows}, at)
    there = [row.stay for row in rows if covers(row.stay, at)]
    heard = database.run(heard_then, there, at)
    then = {}
    for stay in there:
        known = heard[stay.id]
        then[stay.id] = stay.as_known_then(known.resumed_at, known.quiet_since)
    return [
        replace(row, stay=then.get(row.stay.id, row.stay), read_at=read_at.get(row.stay.place.switch))
        for row in rows
    ]


def view_as_of(
    database: Database, topology: TopologyView, rows: Sequence[PlacedStay], at: datetime
) -> NetworkView:
    """The network at an instant, with the address counts of the ports these stays are at."""
    ports = {(row.stay.place.switch, row.stay.place.port) for row in rows}
    counts = database.run(port_history.address_counts_at, sorted(ports), at)
    return topology.at(at).with_counts(counts)
