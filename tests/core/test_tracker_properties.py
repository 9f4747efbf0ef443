"""What holds for the tracker whatever the readings are."""

from collections.abc import Iterable
from copy import deepcopy
from datetime import timedelta
from itertools import pairwise

from hypothesis import given, settings
from hypothesis import strategies as st

from kiteroll.core.model.changes import (
    Appeared,
    Awaited,
    Change,
    Gone,
    Moved,
    Quiet,
    Restarted,
    Resumed,
    Returned,
)
from kiteroll.core.model.reading import Oper, Reading, mac_of, vlan_of
from kiteroll.core.model.stay import Stay
from kiteroll.core.replay.stay_ledger import StayLedger
from kiteroll.core.tracking.followed_switch import changes_between
from kiteroll.core.tracking.switch_state import OpenStay
from kiteroll.core.tracking.tracker import Tracker
from tests.support.factories import reading

PORTS = ("p1", "p2", "p3")
tables = st.dictionaries(
    st.tuples(st.integers(1, 4), st.sampled_from((10, 20))), st.sampled_from(PORTS), max_size=6
)
steps = st.tuples(tables, st.floats(0.5, 30), st.booleans(), st.sets(st.sampled_from(PORTS)), st.booleans())
HOLD = timedelta(minutes=12)


def _readings(story: list[tuple[dict[tuple[int, int], str], float, bool, set[str], bool]]) -> list[Reading]:
    minutes, booted, found = 0.0, -1000.0, []
    for learned, pause, partial, down, restart in story:
        minutes += pause
        booted = minutes - 0.2 if restart else booted
        uptime_s = (minutes - booted) * 60
        found.append(reading(minutes, learned, down=tuple(down), partial=partial, uptime_s=uptime_s))
    return found


class CheckedLedger(StayLedger):
    """Stays from nothing but the changes; a stay begins once, and never changes after it ended."""

    def record(self, changes: Iterable[Change]) -> None:
        for change in changes:
            known = {stay.id: stay for stay in self.all_stays()}
            match change:
                case Appeared() | Moved():
                    assert change.stay not in known
                    touched = [change.ended] if isinstance(change, Moved) else []
                case Restarted():
                    touched = []
                case _:
                    touched = [change.stay]
            assert all(known[stay].ended_at is None for stay in touched), "a stay that ended never changes"
            super().record((change,))

    def open(self) -> list[Stay]:
        return [stay for stay in self.all_stays() if stay.ended_at is None]


@given(st.lists(steps, max_size=12))
def test_same_readings_same_changes_and_twice_is_once(story: list) -> None:  # type: ignore[type-arg]
    readings = _readings(story)
    one, other = Tracker(hold=HOLD), Tracker(hold=HOLD)
    for taken in readings:
        assert one.apply(taken) == other.apply(taken)
        assert other.apply(taken) == ()


@given(st.lists(steps, max_size=12))
@settings(max_examples=200)
def test_stays_are_true_to_the_tables(story: list) -> None:  # type: ignore[type-arg]
    """Everyone in a reading has an open stay there; nobody else is present after a complete one;
    stays of one address in one VLAN never overlap; a partial reading ends none but by a move, or where a
    port is down."""
    tracker, ledger = Tracker(hold=HOLD), CheckedLedger()
    for taken in _readings(story):
        changes = tracker.apply(taken)
        ledger.record(changes)
        names = taken.port_names()
        here = {(mac_of(key), vlan_of(key)): names[number] for key, number in taken.learned.items()}
        present = {
            (stay.mac, stay.place.vlan): stay.place.port
            for stay in ledger.open()
            if stay.last_seen_at is None
        }
        assert here.items() <= present.items()
        if taken.complete:
            assert here == present
        else:
            down = {port.name for port in taken.ports if port.oper is Oper.DOWN}
            assert all(
                taken.learned or change.place.port in down
                for change in changes
                if isinstance(change, Moved | Gone)
            )
            assert not any(isinstance(change, Quiet | Awaited) for change in changes)
    by_key: dict[tuple[int, int | None], list[Stay]] = {}
    for stay in ledger.all_stays():
        by_key.setdefault((stay.mac, stay.place.vlan), []).append(stay)
        assert stay.last_seen_at is None or stay.last_seen_at >= stay.began_at
    for stays in by_key.values():
        ordered = sorted(stays, key=lambda stay: stay.id)
        for before, after in pairwise(ordered):
            assert before.ended_at is not None and before.ended_at <= after.began_at


@given(st.lists(steps, min_size=2, max_size=10), st.data())
def test_a_tracker_restored_from_the_records_goes_on_the_same(story: list, data: st.DataObject) -> None:  # type: ignore[type-arg]
    readings = _readings(story)
    cut = data.draw(st.integers(1, len(readings) - 1))
    whole, ledger = Tracker(hold=HOLD), CheckedLedger()
    for taken in readings[:cut]:
        ledger.record(whole.apply(taken))
    again = Tracker(hold=HOLD, next_stay=max((stay.id for stay in ledger.all_stays()), default=0) + 1)
    checkpoint = whole.checkpoint("quay-1")
    stays = list(map(OpenStay.of, ledger.open()))
    names, first_at = readings[cut - 1].port_names(), readings[0].taken_at
    again.restore("quay-1", checkpoint, names, stays, first_at=first_at)
    ours, theirs = again.table("quay-1"), whole.table("quay-1")
    assert (ours.learned, ours.read_at) == (theirs.learned, theirs.read_at)
    known = {one.key for one in stays}  # of those that are gone the records report elsewhere
    assert ours.recent == {key: at for key, at in theirs.recent.items() if key in known}
    for taken in readings[cut:]:
        assert again.apply(taken) == whole.apply(taken)


@given(st.lists(steps, max_size=12))
@settings(max_examples=200)
def test_who_follows_by_what_changed_has_the_same(story: list) -> None:  # type: ignore[type-arg]
    one, other = Tracker(hold=HOLD), Tracker(hold=HOLD)
    for taken in _readings(story):
        changes = one.apply(taken)
        names, ageing = taken.port_names(), taken.device.ageing
        other.follow("quay-1", changes, one.checkpoint("quay-1"), names, ageing)
        assert other.state("quay-1") == one.state("quay-1")


@given(st.lists(steps, min_size=2, max_size=6))
def test_what_was_not_reported_is_seen_from_the_tables(story: list) -> None:  # type: ignore[type-arg]
    *known, latest = _readings(story)
    one = Tracker(hold=HOLD)
    for taken in known:
        one.apply(taken)
    before = deepcopy(one.state("quay-1"))
    reported = one.apply(latest)
    seen = changes_between("quay-1", before, one.state("quay-1"), latest.taken_at)
    at_places = {
        (one.mac, one.place) for one in reported if isinstance(one, Appeared | Moved | Returned | Resumed)
    }
    assert {(one.mac, one.place) for one in seen} == at_places
