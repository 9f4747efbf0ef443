"""Storing readings: what others see of it, and what a bug or an absent database leaves behind."""

import asyncio
import threading
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any, cast

import pytest

from kiteroll.api.metrics import Metrics
from kiteroll.api.stream import events
from kiteroll.api.stream.broadcaster import EventBroadcaster
from kiteroll.app.events import EventBus, InventoryChanged, ReadingFailed, ReadingStored
from kiteroll.app.ingest import import_result
from kiteroll.app.trackers.reports import parse_report, report_text
from kiteroll.core.errors import DeviceSilent, Invalid, StorageUnavailable, TrackedElsewhere
from kiteroll.core.model.changes import Appeared, Moved, Restarted
from kiteroll.core.model.paging import PageAsk
from kiteroll.core.model.port_use import PortUse
from kiteroll.core.model.reading import Gap, Reading
from kiteroll.core.tracking.switch_health import SwitchHealth, Warned
from kiteroll.store import inventory
from kiteroll.store.database import Database
from tests.support.factories import NOON, at, mac, reading
from tests.support.live import LiveRun
from tests.support.storing import storing


def _labelled(minutes: float, learned: dict[tuple[int, int], str]) -> Reading:
    one = reading(minutes, learned)
    return replace(one, ports=tuple(replace(port, alias=f"Berth {port.name}") for port in one.ports))


def _probe(minutes: float, learned: dict[tuple[int, int], str]) -> Reading:
    """Of one address: ports without labels, and a table that says it is not whole."""
    one = reading(minutes, learned)
    gap = Gap(table="dot1qTpFdbTable", why="only one address was asked for", rows=1)
    return replace(one, gaps=(gap,), ports=one.ports[:3])


def test_a_probe_changes_stays_and_leaves_labels_metrics_and_readings_alone(live: LiveRun) -> None:
    parts = live.parts
    metrics = Metrics(
        parts.bus,
        parts.tracking.fleet,
        parts.queries.switches,
        parts.findings.worker.live,
        parts.supervisor,
        lambda: 0,
        live.clock,
    )
    published: list[Any] = []
    broadcaster = EventBroadcaster()
    broadcaster.publish = published.extend  # type: ignore[method-assign, assignment]
    events.connect(parts.bus, broadcaster, lambda port: port[1] == "p2")
    live.store(_labelled(0, {(1, 10): "p1"}))
    before = [line for line in metrics.text().decode().splitlines() if "kiteroll_reading" in line]
    published.clear()
    parts.tracking.ingestor._ingest_probe(live.ids["quay-1"], "quay-1", _probe(1, {(1, 10): "p2"}))
    parts.tracking.names.refresh()
    assert parts.tracking.names.aliases.find("berth p2", 5), "its label is found still"
    assert [line for line in metrics.text().decode().splitlines() if "kiteroll_reading" in line] == before
    assert [(one.event, one.uplink) for one in published] == [("change", True)], "no reading is reported of"
    (row,) = live.parts.storage.database.run(inventory.all_switches)
    assert (row.health, row.last_complete_at) == ("read", at(0))
    assert parts.tracking.fleet.tracker.present("quay-1") == 1


def test_a_reading_that_comes_late_is_noted_and_changes_nothing(live: LiveRun) -> None:
    live.store(reading(5, {(1, 10): "p1"}))
    ingestor, switch = live.parts.tracking.ingestor, live.ids["quay-1"]
    before = live.parts.storage.database.run(inventory.all_switches)
    late = import_result(switch, reading(3, {(1, 10): "p2"}), None)
    failed = replace(late, started_at=at(4), outcome=DeviceSilent("127.0.0.1:161", "no answer"))
    for one in (late, failed, late, failed):
        ingestor._ingest_late(one)
    rows = live.parts.queries.history.readings("quay-1", PageAsk())
    assert [(one.taken_at, one.outcome) for one in rows.items] == [
        (at(5), "complete"),
        (at(4), "failed"),
        (at(3), "complete"),
    ]
    assert live.parts.storage.database.run(inventory.all_switches) == before
    assert live.parts.tracking.fleet.tracker.present("quay-1") == 1


def test_names_of_switches_are_replaced_and_never_changed_under_who_iterates(live: LiveRun) -> None:
    fleet = live.parts.tracking.fleet
    seen = iter(fleet.switches.items())
    fleet.name_switch(99, "quay-9")
    fleet.drop_switch(live.ids["quay-1"])
    assert list(seen) == [(live.ids["quay-1"], "quay-1")]
    assert fleet.switches == {99: "quay-9"}


def test_a_bug_while_storing_is_reported_at_its_switch_and_the_next_reading_goes_on(
    live: LiveRun, monkeypatch: pytest.MonkeyPatch
) -> None:
    ingestor, found = live.parts.tracking.ingestor, list[object]()
    live.parts.bus.subscribe(ReadingStored, found.append)
    live.parts.bus.subscribe(ReadingFailed, found.append)
    live.store(reading(0, {(1, 10): "p1"}))
    with monkeypatch.context() as patch:

        def fail(*_: object) -> None:
            raise KeyError("a bug")

        patch.setattr(live.parts.tracking.fleet, "load", fail)
        patch.setattr(ingestor._writer, "write_reading", fail)
        live.store(reading(1, {(2, 10): "p2"}))
    live.store(reading(2, {(1, 10): "p1", (2, 10): "p2"}))
    first, failed, last = found
    assert isinstance(first, ReadingStored) and isinstance(last, ReadingStored)
    assert isinstance(failed, ReadingFailed) and failed.health is SwitchHealth.FAILED
    assert "could not be stored: KeyError" in failed.error
    assert {change.mac for change in last.changes if hasattr(change, "mac")} == {mac(2)}


def test_readings_wait_for_a_database_that_is_away_and_none_is_lost(
    live: LiveRun, monkeypatch: pytest.MonkeyPatch
) -> None:
    ingestor, turns = live.parts.tracking.ingestor, live.parts.tracking.turns
    write, failures = ingestor._writer.write_reading, [StorageUnavailable("it is away")] * 2
    problems: list[str | None] = []

    def flaky(*args: object) -> None:
        problems.append(turns.storage_problem)
        if failures:
            raise failures.pop()
        write(*args)  # type: ignore[arg-type]

    monkeypatch.setattr(ingestor._writer, "write_reading", flaky)
    monkeypatch.setattr(turns._stopping, "wait", lambda seconds: None)
    live.store(reading(0, {(1, 10): "p1"}))
    assert problems == [None, "it is away", "it is away"]
    assert turns.storage_problem is None and live.parts.tracking.fleet.tracker.present("quay-1") == 1


def test_a_restart_takes_up_where_the_records_left_off(
    live: LiveRun, database: Database, tmp_path: Path
) -> None:
    for minute, count in ((0, 5), (1, 9)):
        one = reading(minute, {(1, 10): "p1"})
        live.store(replace(one, device=replace(one.device, learning_discards=count)))
    before = live.parts.tracking.fleet.tracker.checkpoint("quay-1")
    assert (before.discards_rose_at, before.read_since) == (at(1), at(0))
    live.parts.tracking.ingestor._ingest_probe(live.ids["quay-1"], "quay-1", _probe(2, {(1, 10): "p2"}))
    live.parts.tracking.fleet.load()
    after = live.parts.tracking.fleet.tracker.checkpoint("quay-1")
    assert (after.discards_rose_at, after.learning_discards) == (at(1), 9), "a probe keeps that evidence"
    assert after.read_since == at(0)
    assert live.parts.tracking.fleet.tracker.present("quay-1") == 1


def test_the_share_that_counts_as_full_is_the_one_that_is_set(live: LiveRun) -> None:
    live.store(reading(0, {(number, 10): "p1" for number in range(60)}))
    live.parts.storage.database.run(inventory.change_switch, NOON, "quay-1", {"table_size": 100})
    queries = live.parts.queries.switches
    for share, expected in ((0.9, False), (0.5, True)):
        queries._table_share = partial(float, share)
        warned = {each.what for each in queries.get("quay-1").warnings}
        assert (Warned.TABLE_NEARLY_FULL in warned) is expected


def test_a_switch_that_shows_nobody_while_its_ports_are_up_has_no_silent_ports(live: LiveRun) -> None:
    queries, ports = live.parts.queries.switches, live.parts.queries.ports
    live.parts.storage.database.run(inventory.change_switch, NOON, "quay-1", {"source": "snmp"})
    reported: list[tuple[int, dict[tuple[int, int], str], bool]] = [
        (0, {}, True),
        (1, {(1, 10): "p1"}, False),
    ]
    for minute, learned, empty in reported:
        live.store(reading(minute, learned))
        warned = {each.what: each for each in queries.get("quay-1").warnings}
        assert (Warned.TABLE_EMPTY in warned) is empty
        assert not empty or warned[Warned.TABLE_EMPTY].condition.ports_up == 24
        assert (ports.get("quay-1", "p2", None).use is PortUse.SILENT) is not empty


def test_one_handler_that_fails_keeps_no_other_from_hearing(caplog: pytest.LogCaptureFixture) -> None:
    bus, heard = EventBus(), list[object]()

    def fail(event: InventoryChanged) -> None:
        raise ValueError("a bug of one subscriber")

    bus.subscribe(InventoryChanged, fail)
    bus.subscribe(InventoryChanged, heard.append)
    bus.publish(InventoryChanged())
    assert heard == [InventoryChanged()]
    assert "a bug of one subscriber" in caplog.text


def test_a_change_of_the_inventory_goes_before_readings_that_wait(live: LiveRun) -> None:
    done: list[str] = []

    async def run() -> None:
        turns, held = live.parts.tracking.turns, threading.Event()
        first = asyncio.create_task(turns.run(held.wait, 20))
        readings = [asyncio.create_task(turns.run(done.append, f"reading {number}")) for number in range(5)]
        await asyncio.sleep(0)
        change = asyncio.create_task(turns.run_next(lambda: done.append("change")))
        wrong = asyncio.create_task(turns.run_next(lambda: 1 / 0))
        await asyncio.sleep(0)
        held.set()
        await asyncio.gather(first, *readings, change)
        with pytest.raises(ZeroDivisionError):
            await wrong

    asyncio.run(run())
    assert done == ["change", *(f"reading {number}" for number in range(5))]


def test_cancelling_who_waits_does_not_cut_a_reading_off_half_way(live: LiveRun) -> None:
    async def run() -> None:
        result = import_result(live.ids["quay-1"], reading(0, {(1, 10): "p1"}), None)
        waiting = asyncio.create_task(live.parts.tracking.ingestor.ingest(result))
        await asyncio.sleep(0)
        waiting.cancel()
        await asyncio.gather(waiting, return_exceptions=True)
        await live.parts.tracking.turns.run(lambda: None)

    live.clock.advance(60)
    asyncio.run(run())
    assert live.parts.tracking.fleet.tracker.present("quay-1") == 1


@pytest.mark.parametrize(
    ("wrong", "reported"),
    [
        ({"alias": "b" * 300}, "alias of port p1 has 300 characters; at most 255"),
        ({"alias": "desk \x1b[2J"}, r"alias of port p1 has control characters: 'desk \\x1b"),
        ({"speed_bps": 10**18}, "speed of port p1 is 1000000000000000000"),
        ({"default_vlan": 4095}, "VLAN of port p1 is 4095; 1 to 4094"),
        ({"changed_ticks": 2**64}, "changed_ticks of port p1"),
        ({"spanning_tree": "as" * 20}, "spanning tree of port p1"),
    ],
)
def test_no_reading_holds_what_records_cannot(wrong: dict[str, Any], reported: str) -> None:
    one = reading(0, {(1, 10): "p1"})
    with pytest.raises(Invalid, match=reported):
        replace(one, ports=(replace(one.ports[0], **wrong), *one.ports[1:]))


def test_an_import_that_was_not_stored_is_reported_as_such(
    live: LiveRun, monkeypatch: pytest.MonkeyPatch
) -> None:
    live.clock.set(at(5))

    def fail(*_: object) -> None:
        raise KeyError("a bug")

    monkeypatch.setattr(live.parts.tracking.ingestor._writer, "write_reading", fail)
    with pytest.raises(Invalid, match=r"was not stored: .*KeyError.*Of the 1 readings given, 0"):
        asyncio.run(live.parts.reading.importer.import_readings([reading(0, {(1, 10): "p1"})]))


def test_what_another_one_stored_is_taken_over_also_where_something_was_not_reported(live: LiveRun) -> None:
    fleet, switch = live.parts.tracking.fleet, live.ids["quay-1"]
    reported: list[ReadingStored] = []
    live.parts.bus.subscribe(ReadingStored, reported.append)
    turns, here, ingestor = storing(live.parts.storage.database, EventBus())
    tables = (
        {(1, 10): "p1"},
        {(1, 10): "p1", (2, 10): "p1"},
        {(1, 10): "p2", (2, 10): "p1"},
        {(1, 10): "p2"},
    )
    for minutes, table in enumerate(tables):
        live.store(reading(minutes, table))
        if minutes == 1:
            continue  # that one is lost
        taken_over = here.record_stored(cast(ReadingStored, parse_report(report_text(reported[-1]))))
        assert taken_over is not None
        assert here.tracker.state("quay-1").table == fleet.tracker.state("quay-1").table
        if minutes == 2:
            kinds = {(type(one), one.mac) for one in taken_over.changes if not isinstance(one, Restarted)}
            assert kinds == {(Moved, mac(1)), (Appeared, mac(2))}, "with what the lost one had changed"
    assert here.tracker.state("quay-1").missing == fleet.tracker.state("quay-1").missing
    here.assign([switch], "afloat")
    with pytest.raises(TrackedElsewhere):
        ingestor._ingest(import_result(switch, reading(9, {}), None))
    here.reclaim([switch])
    assert ingestor._ingest(import_result(switch, reading(9, {}), None)) is not None
    turns.stop()
