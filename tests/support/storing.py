"""What makes readings records, without the service around it."""

from kiteroll.app.events import EventBus
from kiteroll.app.tracking import Tracking, make_tracking
from kiteroll.core.tracking.tracking_rules import TrackingRules
from kiteroll.store.database import Database


def storing(database: Database, bus: EventBus) -> Tracking:
    """As the records of a database are; its turns are to be stopped."""
    made = make_tracking(database, TrackingRules(), bus)
    made.fleet.load()
    return made
