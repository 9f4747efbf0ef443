"""From records of stays to what homes and findings are judged by."""

from kiteroll.app.topology_view import NetworkView
from kiteroll.core.topology.sighting import Sighting, sighting
from kiteroll.store.stay_queries import PlacedStay


def sighting_of(row: PlacedStay, view: NetworkView) -> Sighting:
    place = row.stay.place
    return sighting(
        row.stay,
        view.topology,
        address_count=view.address_count((place.switch, place.port)),
        newcomers=view.snapshot.newcomers.get((place.switch, place.port), 0),
        read_at=row.read_at,
        read_since=row.read_since,
        ageing=row.ageing,
        interval=row.interval,
        expected_every=row.expected_every,
    )
