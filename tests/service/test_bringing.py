"""Readings that are brought, rounds that are asked for, and switches heard, through the API and the CLI."""

import json
import shutil
import subprocess
import time
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from kiteroll.cli.exits import Exit
from kiteroll.cli.main import main
from kiteroll.client import (
    ServiceError,
    add_switch,
    begin_round,
    cancel_round,
    change_switch,
    find,
    ips,
    keep_makers,
    limit_site,
    ports,
    readings,
    remove_switch,
    resume_round,
    round_of,
    sites,
    stays,
    switch,
    switches,
    take_readings,
)
from kiteroll.client import test_credential as try_credential
from kiteroll.schemas.api import (
    Credential,
    CredentialTest,
    NewRound,
    NewSwitch,
    Round,
    SwitchChange,
)
from kiteroll.schemas.reading_convert import to_document
from kiteroll.schemas.reading_document import ReadingDocument
from tests.conftest import Lab, NewService, Service, read_again
from tests.make import mac, reading
from tests.ports import free_tcp_port, free_udp_port

TABLE = "mac;vlan;port\n02:1a:01:00:77:01;10;p1\n02:1a:01:00:77:02;20;p2\n"
MAPPING = {"address": "mac", "vlan": "vlan", "port": "port", "delimiter": ";"}
SILENT = "127.77.200.{}"
"""Loopback addresses where nothing listens that answers."""


@pytest.fixture
def cli(service: Service, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("KITEROLL_URL", service.url)
    monkeypatch.setenv("KITEROLL_TOKEN", service.token)


@dataclass(frozen=True)
class Rich:
    """A service that watches a folder, hears notifications and looks up names."""

    service: Service
    folder: Path
    notices: int
    """Its UDP port for notifications."""


@pytest.fixture(scope="module")
def rich(lab: Lab, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Rich]:
    base = tmp_path_factory.mktemp("rich")
    folder, notices = base / "brought", free_udp_port()
    config = base / "settings.toml"
    config.write_text(
        f'[files]\nfolder = "{folder}"\n'
        f'[notifications]\nlisten = true\nhost = "127.0.0.1"\nport = {notices}\nsettle = "200ms"\n'
        f'[names]\nlook_up = true\nservers = ["127.77.0.250:{lab.port}"]\na_second = 500\n'
    )
    service = Service(base / "data", free_tcp_port(), extra=("--config", str(config)))
    service.start()
    yield Rich(service, folder, notices)
    assert service.end() == 0


def _document(name: str, minutes_ago: float, learned: dict[tuple[int, int], str]) -> ReadingDocument:
    at = datetime.now(UTC) - timedelta(minutes=minutes_ago)
    document = to_document(reading(0, learned, switch=name))
    return document.model_copy(update={"taken_at": at})


def test_documents_are_taken_in_order_of_time_all_or_none(service: Service) -> None:
    with service.client() as client:
        client.ask(add_switch(NewSwitch(name="hut-a", source="files")))
        late = _document("hut-a", 1, {(901, 10): "p2"})
        early = _document("hut-a", 9, {(901, 10): "p1"})
        kept = client.ask(take_readings([late, early]))
        assert [one.changes for one in kept] == [1, 1], "appeared, then moved"
        (now,) = client.each(stays(switch="hut-a"))
        assert (now.port, now.mac) == ("p2", str(mac(901)))
        with pytest.raises(ServiceError, match="in order of time"):
            client.ask(take_readings([_document("hut-a", 0.5, {}), _document("hut-a", 5, {})]))
        assert len(list(client.each(readings(switch="hut-a")))) == 2, "nothing of a bad batch is kept"
        with pytest.raises(ServiceError, match="--source files"):
            client.ask(take_readings([_document("hut-nowhere", 1, {})]))
        with pytest.raises(ServiceError, match="still to come"):
            client.ask(take_readings([_document("hut-a", -60, {})]))


def test_a_csv_table_is_taken_by_its_mapping_or_refused_whole(
    service: Service, cli: None, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    mapping, table, bad = tmp_path / "map.json", tmp_path / "hut.csv", tmp_path / "bad.csv"
    mapping.write_text(json.dumps(MAPPING))
    table.write_text(TABLE)
    bad.write_text(TABLE + "02:1a:01:00:77:03;4999;p1\n")
    assert main(["switch", "add", "hut-b", "--source", "files"]) == Exit.FINE
    assert main(["mapping", "keep", "semicolons", str(mapping)]) == Exit.FINE
    words = ["--switch", "hut-b", "--mapping", "semicolons"]
    assert main(["take", str(table), *words, "--dry-run"]) == Exit.FINE
    with service.client() as client:
        assert client.ask(switch("hut-b")).present == 0
        assert main(["take", str(table), *words, "--at", "2m"]) == Exit.FINE
        assert [(one.name, one.present) for one in client.ask(ports("hut-b"))] == [("p1", 1), ("p2", 1)]
        capsys.readouterr()
        assert main(["take", str(bad), *words]) == Exit.USAGE
        assert "bad.csv, line 4, column vlan: '4999' is no VLAN" in capsys.readouterr().err
        assert client.ask(switch("hut-b")).present == 2
    assert main(["mapping", "remove", "semicolons"]) == Exit.FINE
    assert main(["take", str(table), *words]) == Exit.NOTHING


def test_files_laid_into_the_folder_are_taken_or_refused_with_the_reason(
    rich: Rich,
) -> None:
    one, folder = rich.service, rich.folder
    (folder / "semicolons").mkdir(parents=True)
    with one.client() as client:
        client.ask(add_switch(NewSwitch(name="hut-c", source="files")))
        response = client._http.put("/mappings/semicolons", json=MAPPING)
        assert response.status_code == 200
        (folder / "semicolons" / "hut-c.csv").write_text(TABLE)
        lines = [_document("hut-c", ago, {(1, 10): "p1"}).model_dump_json() for ago in (30, 20)]
        (folder / "carried.jsonl").write_text("\n".join(lines))
        (folder / "broken.json").write_text('{"format": "kiteroll-reading"')
        until = time.monotonic() + 40
        while len(list((folder / "taken").glob("*"))) < 2 or not list((folder / "refused").glob("*.why.txt")):
            assert time.monotonic() < until, [str(path) for path in folder.rglob("*")]
            time.sleep(0.2)
        assert "broken.json: it is no JSON" in next((folder / "refused").glob("*.why.txt")).read_text()
        assert client.ask(switch("hut-c")).present == 2


def test_a_round_reads_a_group_and_tells_how_far_it_is(service: Service, lab: Lab) -> None:
    with service.client() as client:
        for name in ("quay-1", "quay-2"):
            client.ask(change_switch(name, SwitchChange(groups=["berths"])))
        begun = client.ask(begin_round(NewRound(group="berths")))
        assert begun.wanted == 2
        done = _ended(service, begun.id)
        assert (done.state, done.tried, done.left) == ("done", 2, [])
        with pytest.raises(ServiceError, match="nothing is left"):
            client.ask(resume_round(begun.id))
        with pytest.raises(ServiceError, match="no switch to read 'nobody'"):
            client.ask(begin_round(NewRound(group="nobody")))


def _ended(service: Service, number: int) -> Round:
    until = time.monotonic() + 120  # a switch may be in the middle of a reading that takes half a minute
    with service.client() as client:
        while (now := client.ask(round_of(number))).state == "running":
            assert time.monotonic() < until
            time.sleep(0.05)
    return now


def test_a_round_is_cancelled_broken_off_and_resumed_and_stopping_in_it_is_quick(
    new_service: NewService, lab: Lab
) -> None:
    one = new_service(environment={"KITEROLL_INTERVAL": "1h"})
    slow = {"access": Credential(community="x"), "timeout_s": 10, "tries": 1, "site": "far", "enabled": True}
    names = [f"silent-{number}" for number in range(4)]
    with one.client() as client:
        client.ask(limit_site("far", 1))
        for number, name in enumerate(names):
            client.ask(add_switch(NewSwitch(name=name, host=SILENT.format(number), port=lab.port, **slow)))
        begun = client.ask(begin_round(NewRound(all=True)))
        with pytest.raises(ServiceError, match="is running"):
            client.ask(begin_round(NewRound(all=True)))
        cancelled = client.ask(cancel_round(begun.id))
        assert cancelled.state == "cancelled"
        assert len(cancelled.left) == 4
        again = client.ask(resume_round(begun.id))
        assert again.state == "running"
    started = time.monotonic()
    assert one.end() == 0
    assert time.monotonic() - started < 8, "it does not wait for a switch that takes ten seconds"
    one.start()
    with one.client() as client:
        assert client.ask(round_of(begun.id)).state == "broken off"
        for name in names:
            client.ask(change_switch(name, SwitchChange(timeout_s=0.1)))
        client.ask(resume_round(begun.id))
        done = _ended(one, begun.id)
        assert (done.state, done.well, len(done.failed)) == ("done", 0, 4)
        assert client.ask(switch("silent-0")).health == "silent"
        (far,) = client.ask(sites())
        assert (far.name, far.at_once, far.switches) == ("far", 1, 4)


def test_a_restart_keeps_the_beat_instead_of_asking_everybody_at_once(
    new_service: NewService, lab: Lab
) -> None:
    one = new_service()
    with one.client() as client:
        host = {"host": lab.switches["quay-1"], "port": lab.port, "access": lab.access["quay-1"]}
        client.ask(add_switch(NewSwitch(name="quay-1", interval_s=3600, **host)))
        until = time.monotonic() + 20
        while client.ask(switch("quay-1")).read_at is None:
            assert time.monotonic() < until
            time.sleep(0.1)
        before = client.ask(switch("quay-1"))
    one.end()
    one.start()
    time.sleep(2)
    with one.client() as client:
        after = client.ask(switch("quay-1"))
        assert (after.read_at, after.next_try_at) == (before.read_at, before.next_try_at)
        assert read_again(client, "quay-1").outcome == "complete"


def test_a_credential_is_tried_without_adding_a_switch(service: Service, lab: Lab) -> None:
    with service.client() as client:
        known = len(list(client.each(switches())))
        right = CredentialTest(
            host=lab.switches["weighbridge"], port=lab.port, access=lab.access["weighbridge"]
        )
        verdict = client.ask(try_credential(right))
        assert (verdict.works, verdict.sys_name) == (True, "weighbridge")
        assert verdict.asked_as == "v3 user terminal-reader, authPriv"
        wrong = right.access.model_copy(update={"auth_password": "not-the-password"})  # type: ignore[union-attr]
        verdict = client.ask(try_credential(right.model_copy(update={"access": wrong})))
        assert not verdict.works
        assert "authentication password" in verdict.why
        assert len(list(client.each(switches()))) == known


def test_a_link_notification_brings_the_next_reading_forward(rich: Rich, lab: Lab) -> None:
    one, port = rich.service, rich.notices
    with one.client() as client:
        # net-snmp sends from 127.0.0.1, so that is where this switch is said to be.
        near = NewSwitch(
            name="near",
            host="127.0.0.1",
            port=lab.port,
            access=Credential(community="x"),
            timeout_s=0.1,
            tries=1,
        )
        client.ask(add_switch(near))
        before = len(list(client.each(readings(switch="near"))))
        time.sleep(6)  # the inventory is handed to the receiver every few seconds
        told = len(list(client.each(readings(switch="near"))))
        trap = ["snmptrap", "-v2c", "-c", "x", f"127.0.0.1:{port}", "", "1.3.6.1.6.3.1.1.5.4"]
        # All at once: on a busy machine five in a row take longer than a switch is waited for to settle.
        sent = [subprocess.Popen(trap) for _ in range(5)]
        assert [one.wait(30) for one in sent] == [0] * 5
        until = time.monotonic() + 15
        while len(list(client.each(readings(switch="near")))) == told:
            assert time.monotonic() < until, (before, one.log[-2000:])
            time.sleep(0.1)
        time.sleep(1.5)
        assert len(list(client.each(readings(switch="near")))) == told + 1, "five traps, one reading"


def test_names_and_makers_are_told_with_an_endpoint(rich: Rich, lab: Lab) -> None:
    one = rich.service
    with one.client() as client:
        client.ask(keep_makers({"02:1a:01": "Lowmere Kiosk Works"}))
        host = {"host": lab.switches["core-1"], "port": lab.port, "access": lab.access["core-1"]}
        client.ask(add_switch(NewSwitch(name="core-1", **host)))
        until = time.monotonic() + 40
        while not (found := client.ask(find("kiosk-3.tarn"))).endpoints:
            assert time.monotonic() < until, one.log[-2000:]
            time.sleep(0.3)
        (kiosk,) = found.endpoints
        assert (kiosk.maker, kiosk.assigned) == ("Lowmere Kiosk Works", "local")
        assert kiosk.names == ["kiosk-3.tarn-ferries.example"]
        around = client.ask(find(f"{kiosk.ips[0]}/28")).endpoints
        assert kiosk.mac in {one.mac for one in around} and len(around) > 1
        (history,) = client.ask(ips(kiosk.mac))
        assert (history.ip, history.names, history.ended_at) == (kiosk.ips[0], kiosk.names, None)
        named = [one for one in client.ask(find("lowmere")).endpoints if one.names]
        assert len(named) > 6, "those that were heard by now"
        assert all(one.names[0].startswith("kiosk-") for one in named)


def test_a_linux_bridge_is_a_switch_like_any_other(service: Service) -> None:
    with service.client() as client:
        with pytest.raises(ServiceError, match="name the bridge"):
            client._http.post("/switches", json={"name": "hyper", "source": "linux"})
            client.ask(add_switch(NewSwitch.model_construct(name="hyper", source="linux")))
        if shutil.which("ip") is None:
            pytest.skip("iproute2 is not here")
        client.ask(add_switch(NewSwitch(name="hyper", source="linux", host="nobridge0")))
        until = time.monotonic() + 20
        while (one := client.ask(switch("hyper"))).health == "unread":
            assert time.monotonic() < until
            time.sleep(0.1)
        assert one.health == "silent"
        assert "does not exist" in (one.error or "")


def test_progress_of_a_round_is_watched_and_ctrl_c_cancels_it(
    service: Service, lab: Lab, cli: None, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    from kiteroll.cli import rounds

    assert main(["round", "begin", "--all", "--format", "json"]) in (Exit.FINE, Exit.PARTIAL)
    (done,) = json.loads(capsys.readouterr().out)
    assert done["state"] == "done"
    assert done["tried"] == done["wanted"]

    def interrupt(_: float) -> None:
        raise KeyboardInterrupt

    with service.client() as client:
        deaf = NewSwitch(name="deaf", host=SILENT.format(9), port=lab.port, access=Credential(community="x"))
        client.ask(add_switch(deaf.model_copy(update={"timeout_s": 20.0, "tries": 1, "enabled": True})))
        monkeypatch.setattr(rounds.time, "sleep", interrupt)
        assert main(["round", "begin", "--all"]) == Exit.PARTIAL
        assert "round resume" in capsys.readouterr().err
        client.ask(remove_switch("deaf"))
