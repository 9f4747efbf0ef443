"""What becomes of addresses from reading to reading, reported as stories."""

from dataclasses import replace
from datetime import timedelta

from kiteroll.core.model.changes import Appeared, Awaited, Gone, Moved, Quiet, Restarted, Resumed, Returned
from kiteroll.core.model.reading import Gap
from kiteroll.core.model.stay import Ending, Place
from kiteroll.core.tracking.checkpoint import SwitchCheckpoint
from kiteroll.core.tracking.tracker import Tracker
from tests.support.factories import AGEING, at, mac, reading

HERE = Place("quay-1", "p1", 10)
THERE = Place("quay-1", "p2", 10)


def test_an_address_appears_once_and_stays_without_a_word() -> None:
    tracker = Tracker()
    first = tracker.apply(reading(0, {(1, 10): "p1"}))
    assert first == (Appeared(at=at(0), mac=mac(1), place=HERE, stay=1),)
    assert tracker.apply(reading(1, {(1, 10): "p1"})) == ()


def test_missing_is_quiet_and_then_gone_after_the_hold_time() -> None:
    tracker = Tracker(hold=timedelta(minutes=10))
    tracker.apply(reading(0, {(1, 10): "p1"}))
    quiet = tracker.apply(reading(5, {}))
    assert quiet == (Quiet(at=at(5), mac=mac(1), place=HERE, stay=1, last_seen_at=at(0)),)
    assert tracker.apply(reading(14, {})) == ()
    gone = Gone(at=at(15), mac=mac(1), place=HERE, stay=1, last_seen_at=at(0), ending=Ending.HELD_OUT)
    assert tracker.apply(reading(15, {})) == (gone,)
    assert tracker.tracked() == 0


def test_a_quiet_address_returns_to_the_same_stay() -> None:
    tracker = Tracker()
    tracker.apply(reading(0, {(1, 10): "p1"}))
    tracker.apply(reading(5, {}))
    assert tracker.apply(reading(6, {(1, 10): "p1"})) == (Returned(at=at(6), mac=mac(1), place=HERE, stay=1),)


def test_a_return_after_the_hold_time_that_nobody_read_is_a_new_stay() -> None:
    tracker = Tracker(hold=timedelta(minutes=10))
    tracker.apply(reading(0, {(1, 10): "p1"}))
    tracker.apply(reading(5, {}))
    ended, began = tracker.apply(reading(60, {(1, 10): "p1"}))
    assert isinstance(ended, Gone) and ended.at == at(15)
    assert isinstance(began, Appeared) and began.stay == 2


def test_another_port_of_the_switch_ends_the_old_stay_at_once() -> None:
    tracker = Tracker()
    tracker.apply(reading(0, {(1, 10): "p1"}))
    moved = tracker.apply(reading(3, {(1, 10): "p2"}))
    assert moved == (
        Moved(at=at(3), mac=mac(1), place=THERE, stay=2, origin=HERE, ended=1, last_seen_at=at(0)),
    )


def test_a_quiet_address_that_shows_at_another_port_has_moved() -> None:
    tracker = Tracker()
    tracker.apply(reading(0, {(1, 10): "p1"}))
    tracker.apply(reading(5, {}))
    (moved,) = tracker.apply(reading(6, {(1, 10): "p2"}))
    assert isinstance(moved, Moved) and moved.last_seen_at == at(0)


def test_the_same_address_in_two_vlans_is_two_stays() -> None:
    tracker = Tracker()
    both = tracker.apply(reading(0, {(1, 10): "p1", (1, 20): "p2"}))
    assert [change.place.vlan for change in both if isinstance(change, Appeared)] == [10, 20]
    assert tracker.apply(reading(1, {(1, 10): "p1", (1, 20): "p2"})) == ()


def test_a_port_that_is_down_ends_what_is_missing_there() -> None:
    tracker = Tracker()
    tracker.apply(reading(0, {(1, 10): "p1", (2, 10): "p2"}))
    changes = tracker.apply(reading(1, {}, down=("p1",)))
    endings = [(change.mac, change.ending) for change in changes if isinstance(change, Gone)]
    assert endings == [(mac(1), Ending.PORT_DOWN)]
    assert [change.mac for change in changes if isinstance(change, Quiet)] == [mac(2)]
    later = tracker.apply(reading(2, {}, down=("p1", "p2")))
    assert [change.mac for change in later if isinstance(change, Gone)] == [mac(2)]


def test_a_partial_reading_counts_who_is_there_and_nobody_who_is_not() -> None:
    tracker = Tracker()
    tracker.apply(reading(0, {(1, 10): "p1"}))
    changes = tracker.apply(reading(1, {(2, 10): "p2"}, partial=True))
    assert [type(change) for change in changes] == [Appeared]
    (quiet,) = tracker.apply(reading(2, {(1, 10): "p1"}))
    assert isinstance(quiet, Quiet) and quiet.mac == mac(2) and quiet.last_seen_at == at(1)


def test_a_port_that_is_down_in_a_partial_reading_ends_what_was_there_and_nothing_else() -> None:
    tracker = Tracker()
    tracker.apply(reading(0, {(1, 10): "p1", (2, 10): "p2", (3, 10): "p1"}))
    (gone,) = tracker.apply(reading(1, {(3, 10): "p1"}, down=("p1",), partial=True))
    assert isinstance(gone, Gone) and (gone.mac, gone.ending) == (mac(1), Ending.PORT_DOWN)
    blind = replace(reading(2, {}, down=("p1", "p2")), gaps=(Gap(table="ifTable", why="no answer"),))
    assert tracker.apply(blind) == ()


def test_an_ageing_time_that_is_short_for_one_reading_ends_no_stay() -> None:
    tracker = Tracker()
    tracker.apply(reading(0, {(1, 10): "p1"}))
    for minute, expected in ((1, [Quiet]), (2, [])):
        one = reading(minute, {})
        short = replace(one, device=replace(one.device, ageing=timedelta(seconds=15)))
        assert [type(change) for change in tracker.apply(short)] == expected
    assert tracker.apply(reading(10, {})) == ()


def test_an_older_or_repeated_reading_changes_nothing() -> None:
    tracker = Tracker()
    tracker.apply(reading(5, {(1, 10): "p1"}))
    assert tracker.apply(reading(5, {})) == ()
    assert tracker.apply(reading(4, {})) == ()


def test_a_restart_gives_everybody_an_ageing_time_before_absence_counts() -> None:
    tracker = Tracker()
    tracker.apply(reading(0, {(1, 10): "p1", (2, 10): "p2"}))
    restarted, *waits = tracker.apply(reading(10, {}, uptime_s=60))
    assert isinstance(restarted, Restarted)
    assert (restarted.booted_at, restarted.grace_until) == (at(9), at(9) + AGEING)
    assert [type(change) for change in waits] == [Awaited, Awaited]
    (back,) = tracker.apply(reading(12, {(1, 10): "p1"}, uptime_s=180))
    assert isinstance(back, Resumed) and back.mac == mac(1)
    (quiet,) = tracker.apply(reading(15, {(1, 10): "p1"}, uptime_s=360))
    assert isinstance(quiet, Quiet) and quiet.mac == mac(2) and quiet.last_seen_at == at(0)


def test_ports_that_are_renumbered_by_a_restart_are_the_same_ports() -> None:
    tracker = Tracker()
    tracker.apply(reading(0, {(1, 10): "p1", (2, 10): "p2"}, ports={"p1": 1, "p2": 2}))
    later = reading(5, {(1, 10): "p1", (2, 10): "p2"}, ports={"p1": 2, "p2": 1})
    assert tracker.apply(later) == ()
    (moved,) = tracker.apply(reading(6, {(1, 10): "p2", (2, 10): "p2"}, ports={"p1": 2, "p2": 1}))
    assert isinstance(moved, Moved) and moved.origin == HERE


def test_a_port_that_vanishes_keeps_its_name_while_stays_are_on_it() -> None:
    tracker = Tracker()
    tracker.apply(reading(0, {(1, 10): "p1"}, ports={"p1": 1, "p2": 2}))
    (quiet,) = tracker.apply(reading(5, {}, ports={"p2": 1}))
    assert isinstance(quiet, Quiet) and quiet.place == HERE


def test_a_switch_that_leaves_the_inventory_ends_its_stays() -> None:
    tracker = Tracker()
    tracker.apply(reading(0, {(1, 10): "p1", (2, 10): "p1"}))
    tracker.apply(reading(1, {(1, 10): "p1"}))
    ends = tracker.forget("quay-1", at(2))
    found = {(change.mac, change.last_seen_at) for change in ends if isinstance(change, Gone)}
    assert found == {(mac(1), at(1)), (mac(2), at(0))}


def test_counts_of_another_device_are_no_further_ones_of_the_one_before() -> None:
    def reported(minute: float, address: int, discards: int, uptime_s: float) -> SwitchCheckpoint:
        one = reading(minute, {(1, 10): "p1"})
        device = replace(
            one.device,
            bridge_address=mac(address),
            learning_discards=discards,
            uptime_ticks=int(uptime_s * 100),
        )
        tracker.apply(replace(one, device=device))
        return tracker.checkpoint("quay-1")

    tracker = Tracker()
    reported(0, 8, 3, 60)
    assert reported(1, 8, 4, 120).discards_rose_at == at(1)
    another = reported(2, 9, 249, 900_000)
    assert (another.learning_discards, another.discards_rose_at, another.drift) == (249, None, None)
    assert reported(3, 9, 250, 900_060).discards_rose_at == at(3)
