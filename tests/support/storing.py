"""What stores readings, without the service around it."""

from typing import NamedTuple

from kiteroll.app.events import EventBus
from kiteroll.app.ingest import ReadingIngestor
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.app.turns import Turns
from kiteroll.core.tracking.tracking_rules import TrackingRules
from kiteroll.store.database import Database
from kiteroll.store.reading_writer import ReadingWriter


class Storing(NamedTuple):
    turns: Turns
    fleet: TrackedFleet
    ingestor: ReadingIngestor


def storing(database: Database, bus: EventBus) -> Storing:
    """As the records of a database are; its turns are to be stopped."""
    rules, turns, writer = TrackingRules(), Turns(), ReadingWriter(database)
    fleet = TrackedFleet(database, writer, rules.hold_time)
    fleet.load()
    return Storing(turns, fleet, ReadingIngestor(turns, fleet, writer, rules.limits, bus))
