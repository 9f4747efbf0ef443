"""Answers as of an instant: what was known of an endpoint, or of the ports of a switch, then."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import datetime

from kiteroll.core.compare import covers
from kiteroll.core.errors import Invalid, NotFound
from kiteroll.core.home import Sighting, choose_home, way_to
from kiteroll.core.mac import MacAddress
from kiteroll.schemas import api
from kiteroll.service.answers import endpoint_answers, hop_answers, sighting_of
from kiteroll.service.answers_of_switches import port_answer
from kiteroll.service.life import Service
from kiteroll.service.topology import Layout
from kiteroll.store import overview, past, places
from kiteroll.store.gathered import kept_endpoints
from kiteroll.store.inventory import SwitchRow
from kiteroll.store.places import PlacedStay
from kiteroll.store.quiet import quiet_since


def instant(service: Service, at: datetime | None) -> datetime | None:
    """The instant asked for, when it is one of the past. Raises Invalid."""
    if at is None:
        return None
    if at.tzinfo is None:
        raise Invalid("at: an instant needs a zone, such as 2026-05-04T14:05:00Z")
    if at > service.clock.now():
        raise Invalid(f"at: {at.isoformat()} is still to come; leave it out for now")
    return at


def all_as_of(service: Service, rows: Sequence[PlacedStay], at: datetime) -> list[PlacedStay]:
    """Stays as they were known at an instant; those that had ended by then stay ended."""
    read_at = service.database.run(past.read_at, {row.stay.place.switch for row in rows}, at)
    there = [row.stay for row in rows if covers(row.stay, at)]
    quiet = service.database.run(quiet_since, there, at)
    then = {stay.id: stay.as_of(at, quiet.get(stay.id)) for stay in there}
    return [
        replace(row, stay=then.get(row.stay.id, row.stay), read_at=read_at.get(row.stay.place.switch))
        for row in rows
    ]


def endpoint_at(service: Service, mac: MacAddress, at: datetime) -> api.Endpoint:
    """Raises NotFound when it was not known yet."""
    found = endpoints_at(service, [mac], at)
    if not found:
        about = service.database.run(places.about_endpoints, [mac]).get(mac)
        when = "" if about is None else f"it was first seen at {about['first_seen_at'].isoformat()}"
        raise NotFound("endpoint", str(mac), when or "no switch has ever told of this address")
    return found[0]


def endpoints_at(service: Service, macs: Sequence[MacAddress], at: datetime) -> list[api.Endpoint]:
    """Those among `macs` that were known by then, in their order."""
    kept = service.database.run(kept_endpoints, macs, at)
    stays, layout = _known(service, {mac: one.stays for mac, one in kept.items()}, at)
    then = {mac: replace(one, stays=stays[mac]) for mac, one in kept.items()}
    return endpoint_answers(then, layout, service.maker_of)


def way_at(service: Service, mac: MacAddress, start: str | None, at: datetime) -> list[api.Hop]:
    stays, layout = _known(service, service.database.run(places.places_of, [mac], at), at)
    return ways(stays[mac], layout, start)


def ways(rows: Sequence[PlacedStay], layout: Layout, start: str | None) -> list[api.Hop]:
    """From `start`, or else from the switch furthest away, to the home; empty when no way is known."""
    sightings: list[Sighting] = [sighting_of(row, layout) for row in rows]
    home = choose_home(sightings).at
    if home is None:
        return []
    starts = [start] if start else sorted({one.stay.place.switch for one in sightings if one.open})
    each = [way_to(home, sightings, one, layout.topology) for one in starts]
    return hop_answers(max(each, key=len, default=[]))


def ports_at(service: Service, switch: SwitchRow, at: datetime) -> list[api.Port]:
    """Its ports with who was on them, how their links were as far as it was kept, and what they led to;
    names, labels and VLANs are those of now."""
    layout = service.topology.at(at)
    then = service.database.run(past.ports_at, switch.id, at)
    carried = [number for number, (present, quiet, _) in then.items() if present or quiet]
    answers = []
    for row in service.database.run(overview.ports_of, switch.id, carried):
        present, quiet, link = then.get(row.id, (0, 0, None))
        oper, since = (link.oper, link.at) if link else ("unknown", None)
        known = replace(row, present=present, quiet=quiet, oper=oper, oper_since=since)
        answers.append(port_answer(known, layout))
    return answers


def _known(
    service: Service, kept: Mapping[MacAddress, Sequence[PlacedStay]], at: datetime
) -> tuple[dict[MacAddress, list[PlacedStay]], Layout]:
    """Stays that are kept, as they were known at an instant, and the picture of the network then."""
    rows = [row for each in kept.values() for row in each]
    at_places = {(row.stay.place.switch, row.stay.place.port) for row in rows}
    crowds = service.database.run(past.crowds_at, sorted(at_places), at)
    layout = replace(service.topology.at(at), crowds=crowds)
    stays: dict[MacAddress, list[PlacedStay]] = {mac: [] for mac in kept}
    for row in all_as_of(service, rows, at):
        stays[row.stay.mac].append(row)
    return stays, layout
