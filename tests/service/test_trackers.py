"""An area with a tracker of its own: real processes, engines and database; given, killed, fenced off."""

import asyncio
import signal
import time
from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import nats
import pytest

from kiteroll.app.ingest import import_result
from kiteroll.bus import names
from kiteroll.bus.messages import Sent, encode, read_of
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.main import main
from kiteroll.client import (
    add_switch,
    areas,
    change_site,
    change_switch,
    changes,
    collected_sites,
    findings,
    import_readings,
    remove_switch,
    switch,
)
from kiteroll.core.errors import KiteRollError
from kiteroll.schemas.api import Area, NewSwitch, SiteChange, SwitchChange
from kiteroll.schemas.reading_convert import to_document
from kiteroll.store import inventory
from kiteroll.store.database import Database
from tests.support.cluster import COLLECTOR, TrackerProcess
from tests.support.collected_site import NAMES, SITE, CollectedSite
from tests.support.factories import mac, reading
from tests.support.harness import Lab, read_again, wait_until

AREA, BERTH = "waterside", "berth-9"


class Divided:
    """A site that collectors read, in an area of its own for which there are two trackers."""

    def __init__(self, site: CollectedSite, database: Database) -> None:
        self.database = database
        self.off = (datetime.max.replace(tzinfo=UTC),) * 2
        """From when to when quay-3 was off; from the beginning of the reading that it may have cut off."""
        self.site, self.service = site, site.service
        directory, environment = site.service.data.parent, site.service.environment
        self.trackers = [TrackerProcess(directory, f"tracker-{one}", AREA, environment) for one in (1, 2)]

    def area(self) -> Area:
        with self.service.client() as client:
            return next(one for one in client.each(areas()) if one.name == AREA)

    def read(self, table: dict[tuple[int, int], str]) -> datetime:
        """A reading of the berth comes from the site."""
        at = datetime.now(UTC)
        number = self.database.run(inventory.get_switch, BERTH).id
        taken = replace(reading(0, table, switch=BERTH), taken_at=at)
        asyncio.run(
            _publish(self.site.site.url, encode(Sent(read=read_of(import_result(number, taken, None)))))
        )
        return at

    def reported(self, kind: str) -> int:
        """How many changes of this kind there are of the berth."""
        with self.service.client() as client:
            return sum(one.kind == kind for one in client.each(changes(switch=BERTH)))

    def all_recorded_once(self) -> bool:
        """Every reading that the site acknowledged, but for those of a switch that was just turned off."""
        recorded = self.site.in_records()
        assert len(recorded) == len(set(recorded)), "once each"
        kept = {(one.name, one.started_at) for one in self.site.at_site() if one.name in NAMES}
        late = {one for one in kept if one[0] == "quay-3" and self.off[0] <= one[1] <= self.off[1]}
        return kept - late <= set(recorded)

    def end(self) -> None:
        for one in self.trackers:
            if one.is_running:
                one.end(signal.SIGKILL)
        self.site.end()


async def _publish(url: str, message: bytes) -> None:
    client = await nats.connect(url, user="collector", password=COLLECTOR)
    await client.jetstream().publish(names.readings(names.site_token(SITE)), message)
    await client.close()


@pytest.fixture(scope="module")
def divided(
    module_database: Database, tmp_path_factory: pytest.TempPathFactory, lab: Lab
) -> Iterator[Divided]:
    url = module_database.url.render_as_string(hide_password=False)
    made = Divided(
        CollectedSite(tmp_path_factory.mktemp("divided"), {"KITEROLL_DATABASE_URL": url}), module_database
    )
    settings = made.service.data.parent / "service.toml"
    settings.write_text("[tracking]\nhold_time = '9m'\n")
    made.service.extra += ("--config", str(settings))  # from its next start on
    made.site.set_up(lab)
    access = lab.access["quay-1"]
    with made.service.client() as client:
        berth = NewSwitch(name=BERTH, host="127.0.0.1", port=9, access=access, site=SITE, interval_s=3600)
        client.send(add_switch(berth))
        client.send(change_site(SITE, SiteChange(area=AREA)))
    made.site.collectors[0].start()
    yield made
    made.end()


def test_a_tracker_has_the_switches_of_its_area(
    divided: Divided, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    with divided.service.client() as client:
        wait_until(
            lambda: all(client.send(switch(name)).health == "read" for name in NAMES), "the site to be read"
        )
        divided.read({(771, 10): "p1", (772, 10): "p1"})
        wait_until(lambda: divided.reported("appeared") == 2, "the berth to be recorded by the service")
        assert (divided.area().tracked, divided.area().tracker) == (0, "")
        divided.trackers[0].start()
        wait_until(lambda: divided.area().tracked == len(NAMES) + 1, "the tracker to have them")
        divided.read({(771, 10): "p1", (772, 10): "p2"})
        wait_until(lambda: divided.reported("moved") == 1, "a move to be recorded by the tracker")
        assert read_again(client, "quay-1").outcome == "complete", "asked for, read at the site, stored there"
        site = client.all(collected_sites())[0]
        assert (site.silent_since, site.dropped, site.refused) == (None, 0, 0)
        wait_until(lambda: client.all(collected_sites())[0].up_to_date, "the site to be up to date")
    wait_until(divided.all_recorded_once, "every reading of the site to be recorded")
    assert '"hold_time_s": null' in divided.trackers[0].log, "as the service"
    monkeypatch.setenv("KITEROLL_URL", divided.service.url)
    monkeypatch.setenv("KITEROLL_TOKEN", divided.service.token)
    assert main(["site", "areas"]) == Exit.OK
    assert f"process {divided.trackers[0].pid}" in capsys.readouterr().out


def test_what_a_tracker_stores_is_judged_and_reported_by_the_service(divided: Divided) -> None:
    for port in ("p1", "p2") * 4:
        divided.read({(771, 10): "p1", (772, 10): port})
    with divided.service.client() as client:
        wait_until(
            lambda: [
                one for one in client.each(findings(mac=str(mac(772)))) if one.kind == "doubled-address"
            ],
            "an address that jumps between two ports to be found",
        )


def test_what_a_tracker_has_takes_no_readings_of_others(divided: Divided) -> None:
    at = datetime.now(UTC)
    taken = reading(0, {(773, 10): "p1"}, switch=BERTH)
    document = to_document(taken).model_copy(update={"taken_at": at})
    with divided.service.client() as client, pytest.raises(KiteRollError, match="tracker of its area"):
        client.send(import_readings([document]))


def test_the_other_one_takes_over_and_the_one_that_was_lost_writes_no_more(divided: Divided) -> None:
    first, second = divided.trackers
    second.start()
    wait_until(lambda: "stands by" in second.log, "the second one to stand by")
    assert first.process is not None
    first.process.send_signal(signal.SIGSTOP)
    began = time.monotonic()
    divided.read({(771, 10): "p1", (774, 10): "p1"})
    wait_until(lambda: divided.reported("appeared") == 3, "the other one to record it", seconds=30)
    print(f"take-over: {time.monotonic() - began:.1f} s")
    first.process.send_signal(signal.SIGCONT)
    wait_until(lambda: "tracked by another one" in first.log, "the first one to hear of it")
    # The service believes who renews a lease, not who took it.
    wait_until(lambda: f"process {second.pid}" in divided.area().tracker, "the other one to be the tracker")
    wait_until(divided.all_recorded_once, "every reading of the site to be recorded")


def test_what_comes_while_the_service_is_away_is_reported_later(divided: Divided) -> None:
    divided.service.end(signal.SIGKILL)
    divided.service.start()
    with divided.service.client() as client:
        assert client.send(switch(BERTH)).health in ("read", "silent")
    before = divided.reported("moved")
    divided.read({(771, 10): "p2", (774, 10): "p1"})
    wait_until(lambda: divided.reported("moved") == before + 1, "the tracker to go on")


def test_switches_leave_an_area_and_the_inventory(divided: Divided) -> None:
    with divided.service.client() as client:
        began = datetime.now(UTC) - timedelta(seconds=5)
        client.send(change_switch("quay-3", SwitchChange(enabled=False)))
        wait_until(lambda: divided.area().tracked == len(NAMES), "one that is off to come back")
        divided.off = (began, datetime.now(UTC))
        client.send(change_switch("quay-3", SwitchChange(enabled=True)))
        wait_until(lambda: divided.area().tracked == len(NAMES) + 1, "it to be given again")
        client.send(remove_switch(BERTH))
        assert divided.area().tracked == len(NAMES)
    wait_until(divided.all_recorded_once, "every reading of the site to be recorded")


def test_without_trackers_the_service_goes_on(divided: Divided) -> None:
    wait_until(
        lambda: any('"hold_time_s": 540' in one.log for one in divided.trackers),
        "the rules that the service was started with meanwhile to be taken over",
    )
    for one in divided.trackers:
        one.end(signal.SIGKILL)
    wait_until(lambda: divided.area().tracked == 0, "the service to take them back")
    with divided.service.client() as client:
        wait_until(
            lambda: f"tracker of {AREA}" in "".join(one.title for one in client.each(findings())),
            "the loss of the trackers to be reported",
        )
        assert read_again(client, "quay-2").outcome == "complete"
    wait_until(divided.all_recorded_once, "every reading of the site to be recorded")
    assert "Traceback" not in divided.service.log
    assert "Traceback" not in "".join(one.log for one in divided.trackers)
