"""Imports, rounds on demand, notifications and other sources of readings, through the API and the CLI."""

import json
import shutil
import subprocess
import time
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest

from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.main import main
from kiteroll.client import (
    Client,
    ServiceError,
    add_makers,
    add_switch,
    begin_round,
    cancel_round,
    change_site,
    change_switch,
    endpoint,
    import_readings,
    ips,
    ports,
    reading_pauses,
    readings,
    remove_switch,
    resume_round,
    roll_call,
    round_status,
    search,
    sites,
    stays,
    switch,
    switches,
    unread_switches,
)
from kiteroll.client import test_credential as try_credential
from kiteroll.schemas.api import (
    Credential,
    CredentialTest,
    NewRound,
    NewSwitch,
    Round,
    SiteChange,
    SwitchChange,
)
from kiteroll.schemas.reading_convert import to_document
from kiteroll.schemas.reading_document import ReadingDocument
from tests.support.factories import mac, reading
from tests.support.harness import Lab, NewService, Service, read_again, wait_until
from tests.support.ports import free_tcp_port, free_udp_port

TABLE = "mac;vlan;port\n02:1a:01:00:77:01;10;p1\n02:1a:01:00:77:02;20;p2\n"
MAPPING = {"address": "mac", "vlan": "vlan", "port": "port", "delimiter": ";"}
SILENT = "127.77.200.{}"
"""Loopback addresses where nothing listens that answers."""


@pytest.fixture
def cli(service: Service, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("KITEROLL_URL", service.url)
    monkeypatch.setenv("KITEROLL_TOKEN", service.token)


@dataclass(frozen=True)
class Extended:
    """A service that watches a folder, receives notifications and looks up names."""

    service: Service
    folder: Path
    notices: int
    """Its UDP port for notifications."""


@pytest.fixture(scope="module")
def extended(lab: Lab, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Extended]:
    base = tmp_path_factory.mktemp("extended")
    folder, notices = base / "import", free_udp_port()
    config = base / "settings.toml"
    config.write_text(
        f'[imports]\nfolder = "{folder}"\n'
        f'[notifications]\nenabled = true\nhost = "127.0.0.1"\nport = {notices}\ndebounce = "200ms"\n'
        f'[dns]\nenabled = true\nservers = ["127.77.0.250:{lab.port}"]\nrate = 500\n'
    )
    service = Service(base / "data", free_tcp_port(), extra=("--config", str(config)))
    service.start()
    yield Extended(service, folder, notices)
    assert service.end() == 0


def _document(name: str, minutes_ago: float, learned: dict[tuple[int, int], str]) -> ReadingDocument:
    at = datetime.now(UTC) - timedelta(minutes=minutes_ago)
    document = to_document(reading(0, learned, switch=name))
    return document.model_copy(update={"taken_at": at})


def test_documents_are_imported_in_order_of_time_all_or_none(service: Service) -> None:
    with service.client() as client:
        client.send(add_switch(NewSwitch(name="hut-a", source="files")))
        late = _document("hut-a", 1, {(901, 10): "p2"})
        early = _document("hut-a", 9, {(901, 10): "p1"})
        kept = client.send(import_readings([late, early]))
        assert [one.changes for one in kept] == [1, 1], "appeared, then moved"
        (now,) = client.each(stays(switch="hut-a"))
        assert (now.port, now.mac) == ("p2", str(mac(901)))
        sure = client.send(endpoint(str(mac(901)))).confidence
        assert (sure, client.send(switch("hut-a")).health) == ("sure", "read")
        assert not client.send(roll_call("hut-a", "p2")).not_read
        client.send(change_switch("hut-a", SwitchChange(interval_s=5)))  # it is expected every few seconds
        sure = client.send(endpoint(str(mac(901)))).confidence
        assert (sure, client.send(switch("hut-a")).health) == ("likely", "late")
        called = client.send(roll_call("hut-a", "p2"))
        assert called.not_read and called.read_at == late.taken_at
        with pytest.raises(ServiceError, match="in order of time"):
            client.send(import_readings([_document("hut-a", 0.5, {}), _document("hut-a", 5, {})]))
        assert len(list(client.each(readings(switch="hut-a")))) == 2, "nothing of a bad batch is kept"
        with pytest.raises(ServiceError, match="--source files"):
            client.send(import_readings([_document("hut-nowhere", 1, {})]))
        with pytest.raises(ServiceError, match="in the future"):
            client.send(import_readings([_document("hut-a", -60, {})]))


def test_a_home_during_a_pause_of_readings_says_so(
    service: Service, cli: None, capsys: pytest.CaptureFixture[str]
) -> None:
    with service.client() as client:
        client.send(add_switch(NewSwitch(name="hut-p", source="files", interval_s=3600)))
        client.send(import_readings([_document("hut-p", ago, {(990, 10): "p1"}) for ago in (90, 1)]))
        now = client.send(endpoint(str(mac(990))))
        assert now.home is not None and now.confidence == "sure"
        assert [one for one in now.reasons if "hut-p was not read for a while before" in one]
        before = client.send(endpoint(str(mac(990)), at=now.home.began_at + timedelta(minutes=10)))
        assert len(before.reasons) == len(now.reasons) - 1, "nothing had been missed by then"
        (pause,) = client.all(reading_pauses(str(mac(990))))
        assert (pause.switch, pause.port, pause.began_at) == ("hut-p", "p1", now.home.began_at)
        assert pause.ended_at == now.home.read_at
    assert main(["endpoint", "reading-pauses", str(mac(990))]) == Exit.OK
    out = capsys.readouterr().out
    assert "89 min" in out and "hut-p" in out
    assert main(["endpoint", "reading-pauses", str(mac(4990))]) == Exit.NOTHING
    assert "no switch has ever learned this address" in capsys.readouterr().err


def test_a_comparison_says_which_switches_were_not_read_around_its_instants(
    service: Service, cli: None, capsys: pytest.CaptureFixture[str]
) -> None:
    with service.client() as client:
        client.send(add_switch(NewSwitch(name="hut-q", source="files", interval_s=60, groups=["huts"])))
        first, last = _document("hut-q", 90, {(991, 10): "p1"}), _document("hut-q", 1, {(991, 10): "p2"})
        client.send(import_readings([first, last]))
        (unread,) = client.all(unread_switches(at=first.taken_at + timedelta(minutes=30), switch="hut-q"))
        assert (unread.read_before, unread.read_after) == (first.taken_at, last.taken_at)
        assert client.all(unread_switches(group="huts")) == [], "it was read lately"
        assert client.all(unread_switches(at=first.taken_at - timedelta(minutes=1), group="huts")) == []
        with pytest.raises(ServiceError, match="no group 'hut'; did you mean huts"):
            client.all(unread_switches(group="hut"))
    assert main(["compare", "1h", "40m", "--switch", "hut-q"]) == Exit.OK
    out, notes = capsys.readouterr()
    assert "no differences" in out + notes and (out + notes).count("hut-q; what is said of them then") == 2
    assert main(["compare", "1h", "--switch", "hut-q"]) == Exit.OK
    out, notes = capsys.readouterr()
    assert "moved" in out and (out + notes).count("hut-q; what is said of them then") == 1
    for words in (["endpoint", "list", "--switch", "hut-q"], ["port", "list", "hut-q"]):
        assert main([*words, "--at", "1h"]) == Exit.OK
        out, notes = capsys.readouterr()
        assert "hut-q; what is said of them then" in out + notes
    assert main(["switch", "unread", "--at", "1h", "--group", "huts"]) == Exit.OK
    assert "hut-q" in capsys.readouterr().out


def test_a_csv_table_is_imported_by_its_mapping_or_refused_whole(
    service: Service, cli: None, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    mapping, table, bad = tmp_path / "map.json", tmp_path / "hut.csv", tmp_path / "bad.csv"
    mapping.write_text(json.dumps(MAPPING))
    table.write_text(TABLE)
    bad.write_text(TABLE + "02:1a:01:00:77:03;4999;p1\n")
    assert main(["mapping", "set", "semicolons", str(mapping)]) == Exit.OK
    words = ["--switch", "hut-b", "--mapping", "semicolons"]
    assert main(["import", str(table), *words]) == Exit.NOTHING
    assert "`kiteroll switch add hut-b --source files`" in capsys.readouterr().err
    assert main(["switch", "add", "hut-b", "--source", "files"]) == Exit.OK
    assert main(["import", str(table), *words, "--dry-run"]) == Exit.OK
    with service.client() as client:
        assert client.send(switch("hut-b")).present == 0
        assert main(["import", str(table), *words, "--at", "2m"]) == Exit.OK
        assert [(one.name, one.present) for one in client.all(ports("hut-b"))] == [("p1", 1), ("p2", 1)]
        capsys.readouterr()
        assert main(["import", str(bad), *words]) == Exit.USAGE
        assert "bad.csv, line 4, column vlan: '4999' is no VLAN" in capsys.readouterr().err
        assert client.send(switch("hut-b")).present == 2
    assert main(["mapping", "remove", "semicolons"]) == Exit.OK
    assert main(["import", str(table), *words]) == Exit.NOTHING


def test_files_in_the_import_folder_are_imported_or_refused_with_the_reason(
    extended: Extended,
) -> None:
    one, folder = extended.service, extended.folder
    (folder / "semicolons").mkdir(parents=True)
    with one.client() as client:
        client.send(add_switch(NewSwitch(name="hut-c", source="files")))
        response = client._http.put("/mappings/semicolons", json=MAPPING)
        assert response.status_code == 200
        (folder / "semicolons" / "hut-c.csv").write_text(TABLE)
        lines = [_document("hut-c", ago, {(1, 10): "p1"}).model_dump_json() for ago in (30, 20)]
        (folder / "carried.jsonl").write_text("\n".join(lines))
        (folder / "broken.json").write_text('{"format": "kiteroll-reading"')
        imported, refused = (folder / "imported").glob, (folder / "refused").glob
        wait_until(
            lambda: len(list(imported("*"))) == 2 and list(refused("*.reason.txt")),
            "all three files",
        )
        assert "broken.json: it is no JSON" in next((folder / "refused").glob("*.reason.txt")).read_text()
        assert client.send(switch("hut-c")).present == 2


def test_a_round_reads_a_group_or_a_site_and_reports_how_far_it_is(service: Service, lab: Lab) -> None:
    with service.client() as client:
        for name in ("quay-1", "quay-2"):
            client.send(change_switch(name, SwitchChange(groups=["berths"], site="Berths")))
        for new in (NewRound(group="berths"), NewRound(site="Berths")):
            begun = client.send(begin_round(new))
            assert begun.total == 2
            done = _ended(service, begun.id)
            assert (done.state, done.tried, done.remaining) == ("done", 2, [])
        with pytest.raises(ServiceError, match="nothing is left"):
            client.send(resume_round(begun.id))
        with pytest.raises(ServiceError, match="no group 'nobody'"):
            client.send(begin_round(NewRound(group="nobody")))
        with pytest.raises(ServiceError, match="no site 'Berth'; did you mean Berths"):
            client.send(begin_round(NewRound(site="Berth")))
        for name in ("quay-1", "quay-2"):
            client.send(change_switch(name, SwitchChange(site="")))


def _ended(service: Service, number: int) -> Round:
    with service.client() as client:
        # A switch may be in the middle of a reading that takes half a minute.
        wait_until(
            lambda: client.send(round_status(number)).state != "running", "the round to end", seconds=120
        )
        return client.send(round_status(number))


def test_a_round_is_cancelled_interrupted_and_resumed_and_stopping_in_it_is_quick(
    new_service: NewService, lab: Lab
) -> None:
    one = new_service(environment={"KITEROLL_INTERVAL": "1h"})
    slow: dict[str, Any] = {
        "access": Credential(community="x"),
        "timeout_s": 10,
        "tries": 1,
        "site": "far",
        "enabled": True,
    }
    names = [f"silent-{number}" for number in range(4)]
    with one.client() as client:
        with pytest.raises(ServiceError, match="no site 'far'"):
            client.send(change_site("far", SiteChange(concurrency=1)))
        client.send(add_switch(NewSwitch(name="stores", source="files", site="far")))
        client.send(change_site("far", SiteChange(concurrency=1)))
        for number, name in enumerate(names):
            client.send(add_switch(NewSwitch(name=name, host=SILENT.format(number), port=lab.port, **slow)))
        begun = client.send(begin_round(NewRound(all=True)))
        with pytest.raises(ServiceError, match="is running"):
            client.send(begin_round(NewRound(all=True)))
        cancelled = client.send(cancel_round(begun.id))
        assert cancelled.state == "cancelled"
        assert len(cancelled.remaining) == 4
        again = client.send(resume_round(begun.id))
        assert again.state == "running"
    started = time.monotonic()
    assert one.end() == 0
    assert time.monotonic() - started < 8, "it does not wait for a switch that takes ten seconds"
    one.start()
    with one.client() as client:
        assert client.send(round_status(begun.id)).state == "interrupted"
        for name in names:
            client.send(change_switch(name, SwitchChange(timeout_s=0.1)))
        client.send(resume_round(begun.id))
        done = _ended(one, begun.id)
        assert (done.state, done.complete, len(done.failed)) == ("done", 0, 4)
        assert client.send(switch("silent-0")).health == "silent"
        answers = SwitchChange(host=lab.switches["quay-1"], access=lab.access["quay-1"])
        client.send(change_switch("silent-0", answers))
        wait_until(lambda: client.send(switch("silent-0")).health == "read", "the switch to be read")
        assert client.send(round_status(begun.id)).failed == done.failed, "a round says what was so in it"
        (far,) = client.all(sites())
        assert (far.name, far.concurrency, far.switches) == ("far", 1, 5)


def test_after_a_restart_each_switch_is_read_when_it_is_due_and_not_all_at_once(
    new_service: NewService, lab: Lab
) -> None:
    one = new_service()
    with one.client() as client:
        client.send(add_switch(lab.new_switch("quay-1", interval_s=3600)))
        wait_until(lambda: client.send(switch("quay-1")).read_at, "quay-1 to be read")
        before = client.send(switch("quay-1"))
    one.end()
    one.start()
    with one.client() as client:
        client.send(add_switch(lab.new_switch("quay-2")))
        wait_until(lambda: client.send(switch("quay-2")).read_at, "one that is due to be read")
        after = client.send(switch("quay-1"))
        assert (after.read_at, after.next_try_at) == (before.read_at, before.next_try_at)
        assert read_again(client, "quay-1").outcome == "complete"


def test_a_credential_is_tried_without_adding_a_switch(service: Service, lab: Lab) -> None:
    with service.client() as client:
        known = len(list(client.each(switches())))
        right = CredentialTest(
            host=lab.switches["weighbridge"], port=lab.port, access=lab.access["weighbridge"]
        )
        verdict = client.send(try_credential(right))
        assert (verdict.works, verdict.sys_name) == (True, "weighbridge")
        assert verdict.credential_kind == "v3 user terminal-reader, authPriv"
        wrong = right.access.model_copy(update={"auth_password": "not-the-password"})  # type: ignore[union-attr]
        verdict = client.send(try_credential(right.model_copy(update={"access": wrong})))
        assert not verdict.works
        assert "authentication password" in verdict.why
        assert len(list(client.each(switches()))) == known


def test_a_link_notification_brings_the_next_reading_forward(extended: Extended, lab: Lab) -> None:
    one, port = extended.service, extended.notices
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
        client.send(add_switch(near))
        trap = ["snmptrap", "-v2c", "-c", "x", f"127.0.0.1:{port}", "", "1.3.6.1.6.3.1.1.5.4"]

        def tries() -> int:
            return len(list(client.each(readings(switch="near"))))

        def trapped() -> bool:
            subprocess.run(trap, check=True, timeout=30)
            return tries() > before

        wait_until(lambda: tries() == 1, "the first try at reading it")
        before = 1
        # The inventory is handed to the receiver every few seconds; until then traps are dropped.
        wait_until(trapped, "a trap that is listened to")
        _settled(client, "near")
        before = tries()
        # All at once: on a busy machine five in a row take longer than a switch is waited for to settle.
        sent = [subprocess.Popen(trap) for _ in range(5)]
        assert [one.wait(30) for one in sent] == [0] * 5
        wait_until(lambda: tries() > before, "the reading that follows the traps")
        assert _settled(client, "near") == before + 1, "five traps, one reading"


def _settled(client: Client, name: str) -> int:
    """Tries at reading a switch, once nothing more comes of earlier traps: a reading that is asked for
    now queues behind those that are due."""
    read_again(client, name)
    return len(list(client.each(readings(switch=name)))) - 1


def test_host_names_and_makers_come_with_an_endpoint(extended: Extended, lab: Lab) -> None:
    one = extended.service
    with one.client() as client:
        client.send(add_makers({"02:1a:01": "Lowmere Kiosk Works"}))
        client.send(add_switch(lab.new_switch("core-1")))
        wait_until(lambda: client.send(search("kiosk-3.tarn")).endpoints, "its host name to be known")
        (kiosk,) = client.send(search("kiosk-3.tarn")).endpoints
        assert (kiosk.maker, kiosk.origin) == ("Lowmere Kiosk Works", "local")
        assert kiosk.host_names == ["kiosk-3.tarn-ferries.example"]
        around = client.send(search(f"{kiosk.ips[0]}/28")).endpoints
        assert kiosk.mac in {each.mac for each in around} and len(around) > 1
        (history,) = client.all(ips(kiosk.mac))
        assert (history.ip, history.host_names, history.ended_at) == (kiosk.ips[0], kiosk.host_names, None)
        named = [one for one in client.send(search("lowmere")).endpoints if one.host_names]
        assert len(named) > 6, "those that were heard by now"
        assert all(one.host_names[0].startswith("kiosk-") for one in named)


def test_a_linux_bridge_is_a_switch_like_any_other(service: Service) -> None:
    with service.client() as client:
        with pytest.raises(ServiceError, match="name the bridge"):
            client._http.post("/switches", json={"name": "hyper", "source": "linux"})
            client.send(add_switch(NewSwitch.model_construct(name="hyper", source="linux")))
        if shutil.which("ip") is None:
            pytest.skip("iproute2 is not here")
        client.send(add_switch(NewSwitch(name="hyper", source="linux", host="nobridge0")))
        wait_until(lambda: client.send(switch("hyper")).health != "unread", "the bridge to be tried")
        one = client.send(switch("hyper"))
        assert one.health == "silent" and "does not exist" in (one.error or "")
        client.send(remove_switch("hyper"))


def test_progress_of_a_round_is_watched_and_ctrl_c_cancels_it(
    service: Service, lab: Lab, cli: None, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["round", "begin", "--all", "--format", "json"]) in (Exit.OK, Exit.PARTIAL)
    (done,) = json.loads(capsys.readouterr().out)
    assert done["state"] == "done"
    assert done["tried"] == done["total"]

    def interrupt(_: float) -> None:
        raise KeyboardInterrupt

    with service.client() as client:
        deaf = NewSwitch(name="deaf", host=SILENT.format(9), port=lab.port, access=Credential(community="x"))
        client.send(add_switch(deaf.model_copy(update={"timeout_s": 20.0, "tries": 1, "enabled": True})))
        monkeypatch.setattr("time.sleep", interrupt)
        assert main(["round", "begin", "--all"]) == Exit.PARTIAL
        assert "round resume" in capsys.readouterr().err
        client.send(remove_switch("deaf"))
