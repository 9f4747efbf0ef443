"""The demo's days before it begins: readings in order of time that raise nothing, and end as it starts."""

from datetime import UTC, datetime, timedelta
from itertools import pairwise

from kiteroll.core.model.changes import Appeared, Gone, Moved, Restarted
from kiteroll.core.model.reading import mac_of
from kiteroll.core.replay.replay import Replay
from kiteroll.core.tracking.tracker import Tracker
from kiteroll.lab import tarn_ferries
from kiteroll.lab.past import EVERY, EVERY_LATELY, LATELY, past_rounds

NOW = datetime(2026, 11, 23, 15, 0, tzinfo=UTC)


def test_rounds_come_in_order_and_end_just_before_now() -> None:
    rounds = list(past_rounds(NOW, 2))
    times = [{reading.taken_at for reading in each} for each in rounds]
    assert all(len(each) == 1 for each in times)
    ordered = [min(each) for each in times]
    lately = [at for at in ordered if ordered[-1] - at <= LATELY]
    assert {later - earlier for earlier, later in pairwise(lately)} == {EVERY_LATELY}
    assert {later - earlier for earlier, later in pairwise(ordered[: -len(lately) + 1])} == {EVERY}
    assert NOW - timedelta(days=2) <= ordered[0] and timedelta(0) < NOW - ordered[-1] < timedelta(minutes=5)
    assert {len(each) for each in rounds} == {len(tarn_ferries.build().switches)}


def test_the_days_have_their_changes_and_no_restart() -> None:
    tracker = Tracker()
    found = [change for each in past_rounds(NOW, 3) for reading in each for change in tracker.apply(reading)]
    kinds = {type(change) for change in found}
    assert {Appeared, Gone, Moved} <= kinds and Restarted not in kinds
    laptop = tarn_ferries.own_address("laptop-2")
    on = {
        change.place.switch
        for change in found
        if isinstance(change, Appeared | Moved) and change.mac == laptop
    }
    assert {"quay-2", "port-office"} <= on


def test_a_day_raises_nothing_but_moves_and_end_as_the_demo_begins() -> None:
    replay = Replay()
    for each in past_rounds(NOW, 1):
        for reading in each:
            replay.apply(reading)
    # Rounds lie hours apart, as the demo's past does: thresholds of minutes mean nothing to them.
    kinds = {one.kind.value for one in replay.findings.values()}
    assert kinds <= {"moved", "ageing-too-short", "switch-not-read", "silent-port"}
    for host in tarn_ferries.build().hosts.values():
        if host.at is None or host.kind == "switch":
            continue
        home = replay.home_of(host.mac).at
        # A few say little: what was not heard before the last round has no home in it.
        if home is not None:
            assert (home.stay.place.switch, home.stay.place.port) == (host.at[0], f"p{host.at[1]}"), host.name


def test_a_laptop_that_was_taken_home_is_on_no_switch_at_night() -> None:
    gone_home = {tarn_ferries.own_address(f"laptop-{number}") for number in (1, 2, 3)}
    for each in past_rounds(NOW, 2):
        if each[0].taken_at.hour >= 20 or each[0].taken_at.hour < 6:
            held = {mac_of(key) for reading in each for key in reading.learned}
            assert not held & gone_home, each[0].taken_at
