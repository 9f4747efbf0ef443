"""From records to answers: endpoints, their places and ways."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict

from kiteroll.core.home import Hop, Sighting, choose_home, order, sighting
from kiteroll.core.mac import MacAddress
from kiteroll.core.makers import Assigned
from kiteroll.core.topology import Topology
from kiteroll.schemas import api
from kiteroll.service.topology import Layout
from kiteroll.store.gathered import KeptEndpoint
from kiteroll.store.places import PlacedStay


def place_answer(row: PlacedStay, layout: Layout) -> api.Place:
    return api.Place(**_place_fields(row, layout.topology))  # type: ignore[arg-type]  # checked by the model


def stay_answer(row: PlacedStay, layout: Layout) -> api.Stay:
    return api.Stay(mac=row.stay.mac, **_place_fields(row, layout.topology))  # type: ignore[arg-type]


def endpoint_answers(
    kept: Mapping[MacAddress, KeptEndpoint],
    layout: Layout,
    told: Callable[[MacAddress], tuple[str, Assigned]],
) -> list[api.Endpoint]:
    """`told`: maker and origin of an address."""
    return [_endpoint_answer(mac, one, layout, told(mac)) for mac, one in kept.items()]


def _endpoint_answer(
    mac: MacAddress, kept: KeptEndpoint, layout: Layout, told: tuple[str, Assigned]
) -> api.Endpoint:
    by_id = {row.stay.id: row for row in kept.stays}
    sightings = [sighting_of(row, layout) for row in kept.stays]
    home = choose_home(sightings)
    return api.Endpoint(
        mac=mac,  # type: ignore[arg-type]  # the model turns it into text
        **kept.about,
        ips=list(kept.ips),
        names=list(kept.names),
        maker=told[0],
        assigned=told[1].value,
        home=None if home.at is None else place_answer(by_id[home.at.stay.id], layout),
        why=home.why,
        confidence=home.confidence.value,
        reasons=list(home.reasons),
        places=[place_answer(by_id[one.stay.id], layout) for one in order(sightings)],
    )


def hop_answers(hops: Sequence[Hop]) -> list[api.Hop]:
    return [api.Hop.model_validate(asdict(hop)) for hop in hops]


def sighting_of(row: PlacedStay, layout: Layout) -> Sighting:
    place = row.stay.place
    return sighting(
        row.stay,
        layout.topology,
        crowd=layout.crowd((place.switch, place.port)),
        read_at=row.read_at,
        ageing=row.ageing,
    )


def _place_fields(row: PlacedStay, topology: Topology) -> dict[str, object]:
    stay = row.stay
    role = topology.role((stay.place.switch, stay.place.port))
    return {
        "switch": stay.place.switch,
        "port": stay.place.port,
        "port_alias": row.port_alias,
        "vlan": stay.place.vlan,
        "vlan_name": row.vlan_name,
        "life": row.life.value,
        "began_at": stay.began_at,
        "seen_at": row.seen_at,
        "quiet_at": stay.quiet_at,
        "ended_at": stay.ended_at,
        "ending": None if stay.ending is None else stay.ending.value,
        "read_at": row.read_at,
        "role": role.role.value,
        "leads_to": list(role.leads_to),
    }
