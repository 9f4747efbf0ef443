"""Workers on their own: findings that wait for the database, the import folder, follow-up probes."""

import asyncio
import json
import os
import threading
from collections.abc import Sequence
from dataclasses import replace
from datetime import timedelta
from pathlib import Path

import pytest

from kiteroll.app.events import FindingChanged, RulesChanged
from kiteroll.app.port_rules import Author
from kiteroll.app.workers import periodic
from kiteroll.app.workers.findings import FindingWorker
from kiteroll.app.workers.import_folder import ImportFolderWatcher
from kiteroll.core.errors import NotFound, StorageUnavailable
from kiteroll.core.findings.address_evaluation import Probe
from kiteroll.core.findings.engine import SwitchRead
from kiteroll.core.findings.finding import FindingKind, State
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.policy.levels import Level
from kiteroll.core.policy.rule_changes import LevelChange
from kiteroll.core.topology.roles import Topology
from kiteroll.schemas.reading_convert import to_document
from kiteroll.schemas.reading_files import read_readings
from kiteroll.store import findings as stored_findings
from tests.support.clock import ManualClock
from tests.support.factories import at, mac, reading
from tests.support.live import LiveRun, add_switch


def _move(live: LiveRun) -> None:
    live.apply(reading(0, {(1, 10): "p1"}))
    live.store(reading(1, {(1, 10): "p2"}, down=("p1",)))


def test_findings_that_could_not_be_saved_are_saved_with_the_next_step(
    live: LiveRun, monkeypatch: pytest.MonkeyPatch
) -> None:
    announced: list[FindingChanged] = []
    live.parts.bus.subscribe(FindingChanged, announced.append)
    _move(live)
    with monkeypatch.context() as patch:

        def away(*_: object) -> None:
            raise StorageUnavailable("it is away")

        patch.setattr("kiteroll.app.workers.findings.findings.save_findings", away)
        with pytest.raises(StorageUnavailable):
            live.evaluate(at(1))
    assert announced == []
    (found,) = live.evaluate(at(1.1))
    assert found.kind is FindingKind.MOVED
    assert [one.finding.key for one in announced] == [found.key]
    assert [
        one.key for one in live.parts.storage.database.run(stored_findings.unfinished_findings, (), at(0))
    ] == [found.key]


def test_a_finding_is_acknowledged_and_cleared_once_and_the_records_agree(live: LiveRun) -> None:
    _move(live)
    (found,) = live.evaluate(at(1))
    database, worker = live.parts.storage.background, live.parts.findings.worker
    number = database.run(stored_findings.by_keys, [found.key])[found.key].id
    worker.acknowledge(number, "Mara", "known", at(9))
    assert database.run(stored_findings.get_finding, number).finding.state is State.ACKNOWLEDGED
    worker.clear(number, "Mara")
    cleared = database.run(stored_findings.get_finding, number).finding
    assert (cleared.state, cleared.cleared_by) == (State.CLEARED, "Mara")
    for again in (lambda: worker.clear(number, "Mara"), lambda: worker.acknowledge(number, "Mara", "", None)):
        with pytest.raises(NotFound, match="it is cleared"):
            again()


def _set_seats(live: LiveRun, seats: int | None) -> None:
    change = LevelChange(Level(switch="quay-1", port="p1"), {"seats": seats})
    live.parts.rules.port_rules.set_levels([change], Author("Mara"))


def test_a_changed_rule_is_judged_without_a_new_reading(live: LiveRun) -> None:
    live.apply(reading(0, {(1, 10): "p1", (2, 10): "p1"}))
    _set_seats(live, 1)
    live.evaluate(at(0.2))
    found = live.evaluate(at(2.3))
    assert [(one.kind, one.subject.port) for one in found] == [(FindingKind.OVERFULL, "p1")]
    _set_seats(live, None)
    live.evaluate(at(2.5))
    assert [one.state for one in live.evaluate(at(7)) if one.kind is FindingKind.OVERFULL] == [State.CLEARED]
    live.parts.bus.publish(RulesChanged())


def test_a_restart_knows_the_findings_that_are_open(live: LiveRun) -> None:
    _move(live)
    (found,) = live.evaluate(at(1))
    parts = live.parts
    again = FindingWorker(
        parts.storage.database,
        live.facts,
        parts.findings.worker.thresholds,
        live.clock,
        parts.bus,
        lambda _: None,
    )
    assert [one.key for one in again.live()] == [found.key]
    assert again.clears_at(found) == at(1) + timedelta(minutes=15)


def test_a_clock_that_was_set_back_is_reported_once_and_so_is_that_it_caught_up(
    caplog: pytest.LogCaptureFixture,
) -> None:
    class Ended(Exception):
        pass

    class Clock:
        behind = iter([0, 3600, 3000, 1, 0])

        def ahead(self) -> timedelta:
            return timedelta(seconds=next(self.behind))

        async def sleep(self, seconds: float) -> None:
            if len(caplog.records) == 2:
                raise Ended

    with caplog.at_level("INFO"), pytest.raises(Ended):
        asyncio.run(periodic.watch_clock(Clock()))  # type: ignore[arg-type]
    assert [one.event for one in caplog.records] == ["clock.set_back", "clock.caught_up"]  # type: ignore[attr-defined]


def _watch(live: LiveRun, folder: Path, rounds: int) -> None:
    """Look at the folder so many times."""

    class Enough(Exception):
        pass

    class Clock:
        def __init__(self) -> None:
            self.left = rounds

        def now(self) -> object:
            return live.clock.now()

        async def sleep(self, seconds: float) -> None:
            self.left -= 1
            if not self.left:
                raise Enough

    async def run() -> None:
        watcher = ImportFolderWatcher(live.parts.reading.importer, folder, Clock(), read_readings)  # type: ignore[arg-type]
        with pytest.raises(Enough):
            await watcher.run()

    asyncio.run(run())


def test_files_are_imported_once_they_stopped_growing(live: LiveRun, tmp_path: Path) -> None:
    folder = tmp_path / "import"
    live.clock.set(at(5))
    _watch(live, folder, 1)
    file = folder / "hut.json"
    file.write_text(to_document(reading(0, {(1, 10): "p1"})).model_dump_json())
    _watch(live, folder, 1)
    assert file.exists(), "it may be growing still"
    _watch(live, folder, 2)
    assert not file.exists() and live.parts.tracking.fleet.tracker.present("quay-1") == 1
    assert [one.suffix for one in (folder / "imported").iterdir()] == [".json"]


def test_bad_files_are_refused_with_the_reason_and_none_replaces_another(
    live: LiveRun, tmp_path: Path
) -> None:
    folder = tmp_path / "import"
    contents: dict[str, str | bytes] = {
        "a/hut.csv": "mac,vlan,port\n",
        "b/hut.csv": "mac,vlan,port\n",
        "bytes.json": b"\xff\xfe\x00",
        "cut.json": '{"format": "kiteroll-reading"',
        "future.json": to_document(reading(99, {})).model_dump_json(),
        "nowhere.json": to_document(reading(0, {}, switch="nowhere")).model_dump_json(),
    }
    document = reading(0, {(1, 10): "p1"})
    far = to_document(document).model_dump(mode="json")
    labelled = to_document(replace(document, ports=document.ports[:1])).model_dump(mode="json")
    labelled["ports"][0]["alias"] = "berth" * 60
    contents |= {
        "deep.json": "[" * 100_000,
        "number.json": json.dumps({**far, "entries": [{**far["entries"][0], "mac": 2**70}]}),
        "alias.json": json.dumps(labelled),
        "year.json": json.dumps({**far, "taken_at": "0001-01-01T00:00:00+14:00"}),
        "huge.json": json.dumps({**far, "duration_s": 1e300}),
    }
    for name, content in contents.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(content if isinstance(content, bytes) else content.encode())
    secret = tmp_path / "secret"
    secret.write_text("the key of another")
    (folder / "link.json").symlink_to(secret)
    os.mkfifo(folder / "pipe.json")
    _watch(live, folder, 2)
    refused = list((folder / "refused").iterdir())
    reasons = {one.name.split("-")[0]: one.read_text() for one in refused if one.name.endswith(".reason.txt")}
    assert len(refused) == 2 * (len(contents) + 2)
    assert set(reasons) == {one.rpartition("/")[2].split(".")[0] for one in contents} | {"link", "pipe"}
    assert "at most 255 characters" in reasons["alias"] and "nested" in reasons["deep"]
    assert not any("key of another" in reason for reason in reasons.values())
    assert all(one.stat().st_mode & 0o077 == 0 for one in refused if one.name.endswith(".reason.txt"))
    assert "not UTF-8" in reasons["bytes"] and "in the future" in reasons["future"]
    assert "--source files" in reasons["nowhere"] and "mapping" in reasons["hut"]


def test_probes_are_bounded_and_an_address_rests_before_it_is_probed_again(live: LiveRun) -> None:
    probed: list[int] = []

    class Poller:
        async def probe_address(self, switch: int, address: object, vlan: object) -> None:
            probed.append(switch)

    async def run(requests: Sequence[Sequence[Probe]]) -> list[int]:
        worker = live.parts.reading.followup
        worker._poller = Poller()  # type: ignore[assignment]
        worker._wake = asyncio.Event()
        running = asyncio.create_task(worker.run())
        await asyncio.sleep(0)
        counts = []
        for probes in requests:
            worker.request(probes)
            await asyncio.sleep(0)
            counts.append(len(worker._probing))
        running.cancel()
        await asyncio.gather(running, return_exceptions=True)
        return counts

    many = [Probe(mac(number), (("quay-1", 10),), at(1)) for number in range(50)]
    assert asyncio.run(run([many[:1], many[:1], many])) == [1, 1, 20]
    live.clock.advance(60)
    live.parts.reading.followup._probing.clear()
    assert asyncio.run(run([many[:1]])) == [0], "it was probed a minute ago"


def test_a_switch_that_does_not_answer_holds_up_no_probe_of_another(live: LiveRun) -> None:
    silent = live.ids["quay-1"]
    add_switch(live.parts.storage.database, "quay-2")

    async def run() -> list[int]:
        probed: list[int] = []
        again = asyncio.Event()

        class Poller:
            async def probe_address(self, switch: int, address: MacAddress, vlan: object) -> None:
                if switch == silent:
                    await asyncio.Event().wait()
                probed.append(address)
                if len(probed) == 4:
                    again.set()

        class Clock(ManualClock):
            async def sleep(self, seconds: float) -> None:
                await asyncio.sleep(0.01)

        worker = live.parts.reading.followup
        worker._poller, worker._clock = Poller(), Clock()  # type: ignore[assignment]
        running = asyncio.create_task(worker.run())
        await asyncio.sleep(0)
        worker.request([Probe(mac(number), (("quay-1", 10), ("quay-2", 10)), at(1)) for number in (1, 2)])
        async with asyncio.timeout(60):
            await again.wait()
        running.cancel()
        await asyncio.gather(running, return_exceptions=True)
        return probed

    assert asyncio.run(run())[:4] == [mac(1), mac(2)] * 2


def test_a_file_that_cannot_be_moved_away_holds_up_no_other_and_is_reported_once(
    live: LiveRun, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    folder = tmp_path / "import"
    folder.mkdir()
    (folder / "a.json").write_text("{}")
    (folder / "b.json").write_text(to_document(reading(0, {(1, 10): "p1"})).model_dump_json())
    live.clock.set(at(5))
    rename = Path.rename

    def stuck(self: Path, target: Path) -> Path:
        if self.name == "a.json":
            raise PermissionError(1, "Operation not permitted")
        return rename(self, target)

    monkeypatch.setattr(Path, "rename", stuck)
    _watch(live, folder, 5)
    assert live.parts.tracking.fleet.tracker.present("quay-1") == 1
    assert caplog.text.count("file cannot be moved away") == 1


def test_whoever_hands_something_over_never_waits_for_a_step(live: LiveRun) -> None:
    """A step asks the database, which may take as long as it likes; the loop that answers calls does not."""
    entered, let_go = threading.Event(), threading.Event()

    class Slow:
        def topology(self, *, fresh: bool) -> Topology:
            entered.set()
            assert let_go.wait(60)
            return Topology({})

        def __getattr__(self, name: str) -> object:
            return getattr(live.facts, name)

    parts = live.parts
    worker = FindingWorker(
        parts.storage.database,
        Slow(),  # type: ignore[arg-type]
        parts.findings.worker.thresholds,
        live.clock,
        parts.bus,
        lambda _: None,
    )
    step = threading.Thread(target=worker.evaluate_pending, args=(at(1),), daemon=True)
    step.start()
    assert entered.wait(60)
    try:

        def hand_over() -> None:
            worker.enqueue(SwitchRead(switch="quay-1", at=at(1), changes=()))
            parts.bus.publish(RulesChanged())
            worker.live()
            worker.claimed_uplinks()

        others = threading.Thread(target=hand_over, daemon=True)
        others.start()
        others.join(10)
        assert not others.is_alive()
    finally:
        let_go.set()
        step.join(60)
