"""What makes readings records: by turns, with the tables of the switches in memory."""

from typing import NamedTuple

from kiteroll.app.events import EventBus
from kiteroll.app.ingest import ReadingIngestor
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.app.turns import Turns
from kiteroll.core.tracking.tracking_rules import TrackingRules
from kiteroll.store.area_lease import SERVICE_STAYS
from kiteroll.store.database import Database
from kiteroll.store.reading_writer import Fence, ReadingWriter


class Tracking(NamedTuple):
    turns: Turns
    """To be stopped at the end."""
    fleet: TrackedFleet
    """To be loaded first."""
    ingestor: ReadingIngestor


def make_tracking(
    database: Database,
    rules: TrackingRules,
    bus: EventBus,
    *,
    fence: Fence | None = None,
    stays: range = SERVICE_STAYS,
    area: str = "",
) -> Tracking:
    """`bus`: gets each reading. The rest as for `ReadingWriter` and `TrackedFleet`."""
    turns, writer = Turns(), ReadingWriter(database, fence)
    fleet = TrackedFleet(database, writer, rules.hold_time, stays, area)
    return Tracking(turns, fleet, ReadingIngestor(turns, fleet, writer, rules.limits, bus))
