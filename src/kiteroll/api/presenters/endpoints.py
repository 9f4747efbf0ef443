"""Endpoints, their places and paths, as the API shows them."""

from typing import Any

from kiteroll.app.labels import Label
from kiteroll.app.queries.endpoint_history import HomeInterval, IpStay, QuietTime, ReadingPause
from kiteroll.app.queries.endpoints import EndpointView, PlaceView
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.topology.path import Hop
from kiteroll.core.topology.roles import PortRole
from kiteroll.schemas import api
from kiteroll.wording.stays import ending_text
from kiteroll.wording.topology import home_reasons, hop_text


def present_place(view: PlaceView) -> api.Place:
    return api.Place(**_place_fields(view))  # type: ignore[arg-type]  # checked by the model


def present_stay(view: PlaceView) -> api.Stay:
    return api.Stay(mac=view.row.stay.mac, **_place_fields(view))  # type: ignore[arg-type]


def present_endpoint(view: EndpointView) -> api.Endpoint:
    reasons = home_reasons(view.home)
    return api.Endpoint(
        mac=view.mac,  # type: ignore[arg-type]  # the model turns it into text
        first_seen_at=view.record.first_seen_at,
        label=view.record.label.label,
        owner=view.record.label.owner,
        notes=view.record.label.notes,
        ips=list(view.record.ips),
        host_names=list(view.record.names),
        maker=view.maker,
        origin=view.origin.value,
        home=None if view.home_place is None else present_place(view.home_place),
        why=reasons[0],
        confidence=view.home.confidence.value,
        reasons=reasons,
        homes_elsewhere=[
            api.HomeElsewhere(
                area="" if home.at is None else home.at.area,
                home=present_place(place),
                why=home_reasons(home)[0],
                confidence=home.confidence.value,
            )
            for home, place in view.elsewhere
        ],
        places=[present_place(one) for one in view.places],
    )


def present_hop(hop: Hop) -> api.Hop:
    return api.Hop(
        switch=hop.switch, port=hop.port, learned=hop.learned, leads_to=hop.leads_to, why=hop_text(hop)
    )


def present_ip(row: IpStay) -> api.IpStay:
    return api.IpStay(
        ip=row.ip,
        source=row.source,
        began_at=row.began_at,
        ended_at=row.ended_at,
        host_names=list(row.names),
    )


def present_quiet_time(row: QuietTime) -> api.QuietTime:
    return api.QuietTime(**_time_fields(row))


def present_reading_pause(row: ReadingPause) -> api.ReadingPause:
    return api.ReadingPause(**_time_fields(row))


def _time_fields(row: QuietTime | ReadingPause) -> dict[str, Any]:
    place = row.place
    return {
        "switch": place.switch,
        "port": place.port,
        "vlan": place.vlan,
        "began_at": row.began_at,
        "ended_at": row.ended_at,
    }


def present_home_interval(mac: MacAddress, row: HomeInterval) -> api.HomeInterval:
    place = row.place
    return api.HomeInterval(
        mac=mac,  # type: ignore[arg-type]  # the model turns it into text
        switch=place.switch,
        port=place.port,
        vlan=place.vlan,
        since=row.since,
        until=row.until,
    )


_MOST_BEHIND = 10
"""A thousand switches may be behind an uplink, and a page has hundreds of rows."""


def place_fields_of_role(role: PortRole) -> tuple[str, list[str], int]:
    """role, leads_to and leads_to_count of a place."""
    return role.role.value, list(role.leads_to[:_MOST_BEHIND]), len(role.leads_to)


def fields_of_role(role: PortRole) -> dict[str, Any]:
    return dict(zip(("role", "leads_to", "leads_to_count"), place_fields_of_role(role), strict=True))


def _place_fields(view: PlaceView) -> dict[str, object]:
    row, stay = view.row, view.row.stay
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
        "ending": None if stay.ending is None else ending_text(stay.ending),
        "read_at": row.read_at,
        **fields_of_role(view.role),
    }


def present_label(one: Label, seen: bool | None = None) -> api.Label:
    return api.Label(
        mac=one.mac,  # type: ignore[arg-type]  # the model turns it into text
        label=one.label,
        owner=one.owner,
        notes=one.notes,
        seen=seen,
    )
