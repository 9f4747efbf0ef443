"""What makes readings records, and what is known of the network from them, in memory."""

from dataclasses import dataclass

from kiteroll.app.events import ReadingStored
from kiteroll.app.ingest import ReadingIngestor
from kiteroll.app.label_index import LabelIndex
from kiteroll.app.makers import MakerDirectory
from kiteroll.app.name_index import NameIndexes
from kiteroll.app.parts.basis import Basis
from kiteroll.app.topology_view import TopologyView
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.app.tracking import make_tracking
from kiteroll.app.turns import Turns
from kiteroll.store.tracking_rules import save_tracking_rules


@dataclass(frozen=True, slots=True, kw_only=True)
class TrackingParts:
    turns: Turns
    fleet: TrackedFleet
    ingestor: ReadingIngestor
    topology: TopologyView
    names: NameIndexes
    label_index: LabelIndex
    makers: MakerDirectory


def build_tracking(basis: Basis) -> TrackingParts:
    """Loads what is on record. Raises StorageUnavailable."""
    storage, bus = basis.storage, basis.bus
    background, lease, rules = storage.background, storage.lease, basis.config.tracking.rules()
    if not basis.only_answers:
        background.run(save_tracking_rules, rules)
    fence = None if lease is None else lease.fence
    turns, fleet, ingestor = make_tracking(background, rules, bus, fence=fence)
    basis.stack.callback(turns.stop)
    fleet.load()
    topology = TopologyView(background, basis.clock, fleet, records=not basis.only_answers)
    fleet.on_rename(topology.switch_renamed)
    names = NameIndexes(background)
    names.load()
    bus.subscribe(ReadingStored, names.on_reading)
    label_index = LabelIndex(background)
    label_index.reload()
    makers = MakerDirectory(storage.database, lambda: fleet.index)
    makers.reload()
    return TrackingParts(
        turns=turns,
        fleet=fleet,
        ingestor=ingestor,
        topology=topology,
        names=names,
        label_index=label_index,
        makers=makers,
    )
