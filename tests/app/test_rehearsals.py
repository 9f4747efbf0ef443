"""Rehearsals in the background: one at a time, with progress, cancelled and failed ones reported."""

import threading
from collections.abc import Callable, Iterator
from datetime import timedelta
from typing import Any

import pytest

from kiteroll.app.rehearsals import RehearsalRun, Rehearsals, RehearsalScope
from kiteroll.clock import SystemClock
from kiteroll.core.errors import Conflict, Invalid, NotFound, StorageUnavailable
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.rehearsal.rehearsal import SwitchPast
from kiteroll.store import rehearsal_inputs
from kiteroll.store.database import Database

SWITCHES = [(number, f"switch-{number}") for number in range(100)]
AGEING = timedelta(minutes=5)


class _Records(Database):
    """Goes through a hundred switches, twenty at a time, each time after `go` was set; or fails."""

    def __init__(self) -> None:
        self.go = threading.Event()
        self.asked = threading.Event()
        self.broken = False

    def run(self, work: Callable[..., Any], *args: Any, **kwargs: Any) -> Any:
        if work is rehearsal_inputs.switches_with_past:
            return [] if args[1] == "nowhere" else SWITCHES
        if work is not rehearsal_inputs.pasts_of:
            return ()
        self.asked.set()
        assert self.go.wait(30)
        if self.broken:
            raise StorageUnavailable("the database does not answer")
        return [
            SwitchPast(switch=f"switch-{number}", present={}, uplinks={}, known_since=None, ageing=AGEING)
            for number in args[0]
        ]


@pytest.fixture
def records() -> Iterator[_Records]:
    made = _Records()
    yield made
    made.go.set()


@pytest.fixture
def rehearsals(records: _Records) -> Rehearsals:
    return Rehearsals(records, Thresholds, SystemClock())


def _begin(rehearsals: Rehearsals, **more: Any) -> RehearsalRun:
    now = SystemClock().now()
    return rehearsals.begin(RuleBook(), RehearsalScope(since=now - timedelta(days=1), until=now, **more), 0)


def _ended(rehearsals: Rehearsals, run: RehearsalRun) -> RehearsalRun:
    rehearsals.stop()
    return run


def test_one_runs_at_a_time_and_reports_how_far_it_is(rehearsals: Rehearsals, records: _Records) -> None:
    run = _begin(rehearsals)
    assert (run.state, run.switches, run.done) == ("running", 100, 0)
    with pytest.raises(Conflict, match="0 of 100 switches"):
        _begin(rehearsals)
    records.go.set()
    thread = rehearsals._thread
    assert thread is not None
    thread.join(30)
    assert (run.state, run.done, run.error) == ("done", 100, "") and run.result is not None
    assert rehearsals.all() == [run] and rehearsals.get(run.number) is run
    with pytest.raises(Conflict, match="it is done"):
        rehearsals.cancel(run.number)


def test_one_that_is_cancelled_stops_between_switches(rehearsals: Rehearsals, records: _Records) -> None:
    run = _begin(rehearsals)
    assert records.asked.wait(30)
    run.cancel.set()
    records.go.set()
    assert rehearsals.cancel(run.number) is run if run.state == "running" else True
    assert _ended(rehearsals, run).state == "cancelled" and run.done < 100 and run.result is None
    assert _begin(rehearsals).number == run.number + 1


def test_a_database_that_goes_away_fails_it_and_the_next_one_begins(
    rehearsals: Rehearsals, records: _Records
) -> None:
    records.broken = True
    records.go.set()
    run = _begin(rehearsals)
    thread = rehearsals._thread
    assert thread is not None
    thread.join(30)
    assert (run.state, run.error) == ("failed", "the database does not answer")
    records.broken = False
    assert _begin(rehearsals).state in ("running", "done")


def test_what_cannot_be_rehearsed_is_refused(rehearsals: Rehearsals) -> None:
    now = SystemClock().now()
    with pytest.raises(NotFound, match="no switch 'nowhere'"):
        _begin(rehearsals, switch="nowhere")
    for scope in (
        RehearsalScope(since=now, until=now - timedelta(days=1)),
        RehearsalScope(since=now - timedelta(days=500), until=now),
    ):
        with pytest.raises(Invalid, match="its time must end after it begins"):
            rehearsals.begin(RuleBook(), scope, 0)
    with pytest.raises(NotFound, match="the latest 10 are kept"):
        rehearsals.get(99)
