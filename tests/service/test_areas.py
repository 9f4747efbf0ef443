"""Areas through the service: the same address at two sites, as the API and the command line report it."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.main import main
from kiteroll.client import add_switch, change_site, endpoint, findings, homes, import_readings, sites
from kiteroll.core.model.reading import Neighbour
from kiteroll.schemas.api import Endpoint, NewSwitch, SiteChange
from kiteroll.schemas.reading_convert import to_document
from kiteroll.schemas.reading_document import ReadingDocument
from tests.support.factories import mac, reading
from tests.support.harness import Service, wait_until

DOUBLED = str(mac(771))
NEAR, FAR = ("berth-a", "p1"), ("berth-b", "p2")


def _seen_at_two_sites(service: Service) -> None:
    """An address at a port of one switch, and soon at one of another as well; both hear each other (LLDP)."""
    with service.client() as client:
        for (name, _), site in zip((NEAR, FAR), ("heron", "osprey"), strict=True):
            client.send(add_switch(NewSwitch(name=name, source="files", site=site)))
        for minutes_ago in range(20, 0, -1):
            documents = [
                _document(place, cable_to, minutes_ago, came=place is NEAR or minutes_ago < 15)
                for place, cable_to in ((NEAR, FAR), (FAR, NEAR))
            ]
            client.send(import_readings(documents))


def _document(
    place: tuple[str, str], cable_to: tuple[str, str], minutes_ago: float, *, came: bool
) -> ReadingDocument:
    name, port = place
    taken = reading(0, {(771, 10): port} if came else {}, switch=name)
    neighbour = Neighbour(port="p24", chassis="", name=cable_to[0], capabilities=("bridge",), port_id="p24")
    at = datetime.now(UTC) - timedelta(minutes=minutes_ago)
    return to_document(replace(taken, taken_at=at, neighbours=(neighbour,)))


def _endpoint(service: Service) -> Endpoint:
    with service.client() as client:
        return client.send(endpoint(DOUBLED))


def test_one_address_in_one_area_and_then_in_two(
    service: Service, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setenv("KITEROLL_URL", service.url)
    monkeypatch.setenv("KITEROLL_TOKEN", service.token)

    def reported() -> list[tuple[str, str | None]]:
        with service.client() as client:
            return [(one.kind, one.area) for one in client.each(findings(mac=DOUBLED))]

    _seen_at_two_sites(service)
    wait_until(lambda: ("doubled-address", None) in reported(), "the duplicate is found")
    assert _endpoint(service).confidence == "doubtful"
    assert _endpoint(service).homes_elsewhere == []

    assert main(["site", "area", "osprey", "afloat"]) == Exit.OK
    assert "osprey is in area afloat, and no other site is" in capsys.readouterr().err
    wait_until(lambda: _endpoint(service).homes_elsewhere, "the roles of ports are worked out anew")
    one = _endpoint(service)
    (other,) = one.homes_elsewhere
    assert one.home is not None
    places = {"" if other.area else "afloat": one.home, other.area: other.home}
    assert (places[""].switch, places[""].port) == NEAR
    assert (places["afloat"].switch, places["afloat"].port) == FAR
    assert "another device" in one.reasons[-1]
    with service.client() as client:
        assert {row.switch for row in client.each(homes(DOUBLED, days=1)) if row.until is None} == {
            NEAR[0],
            FAR[0],
        }
        own = {row.name: row.area for row in client.each(sites())}
        assert (own["heron"], own["osprey"]) == ("", "afloat")
        client.send(change_site("osprey", SiteChange(concurrency=3)))
        assert client.send(change_site("osprey", SiteChange())).concurrency == 3
        kept = {row.name: row.area for row in client.each(sites())}
        assert kept == own, "what is not given stays"
    assert main(["endpoint", "show", DOUBLED]) == Exit.OK
    shown = capsys.readouterr().out
    assert "elsewhere" in shown and "another device" in shown
