"""Collectors of the inventory, on a real database: whom they may speak for, and what is counted of a site."""

from datetime import datetime, timedelta

import pytest

from kiteroll.app.collectors import Collectors
from kiteroll.app.site_intake import SiteIntake
from kiteroll.bus.messages import Status
from kiteroll.bus.sealing import PrivateKey
from kiteroll.core.errors import Conflict, Invalid, NotFound
from kiteroll.core.model.collector import CollectorState
from kiteroll.store.database import Database
from tests.support.clock import ManualClock


def status(name: str, at: datetime, *, reads: bool = True) -> Status:
    return Status(
        collector=name, version="1", started_at=at, reads=reads, switches=2, clock_ahead_s=30.0, waiting=0
    )


@pytest.fixture
def clock() -> ManualClock:
    return ManualClock()


class Made(Collectors):
    def __init__(self, database: Database, clock: ManualClock, *, has_bus: bool = True) -> None:
        self.intake = SiteIntake(database, clock)
        super().__init__(database, clock, lambda *_: b"plain", self.intake, has_bus=has_bus)


@pytest.fixture
def made(database: Database, clock: ManualClock, tmp_path_factory: pytest.TempPathFactory) -> Made:
    key = PrivateKey(tmp_path_factory.mktemp("collector") / "key").public
    collectors = Made(database, clock)
    collectors.add("island-1", "Island", key)
    return collectors


def again(database: Database, clock: ManualClock) -> Made:
    """The service started again."""
    collectors = Made(database, clock)
    collectors.load()
    return collectors


def test_a_collector_speaks_for_its_own_site_alone(made: Made, clock: ManualClock) -> None:
    made.add("quays-1", "Quays", made.get("island-1").public_key)
    assert made.heard("Island", status("island-1", clock.now())).refused == ""
    assert made.get("island-1").state(clock.now()) is CollectorState.READING
    assert "no collector island-1" in made.heard("Quays", status("island-1", clock.now())).refused
    with pytest.raises(Invalid):
        made.targets_for("Quays", "island-1")
    assert made.targets_for("Island", "island-1") != b"plain", "it is sealed"


def test_other_targets_are_notified_by_another_version(made: Made, clock: ManualClock) -> None:
    reported: list[str] = []
    made.on_change(reported.append)
    first = made.heard("Island", status("island-1", clock.now())).targets
    made.changed("Island")
    made.changed("a site without collectors")
    assert reported == ["Island"] and made.heard("Island", status("island-1", clock.now())).targets != first


def test_what_was_dropped_at_a_site_is_counted_once(
    made: Made, database: Database, clock: ManualClock
) -> None:
    made.intake.note_taken("Island", [1, 2, 3], 7, clock.now())
    made.intake.note_taken("Island", [3, 4, None], 7, None)  # the third came again
    assert made.conditions()[0].dropped == 0
    made.intake.note_taken("Island", [9, 10], 7, clock.now())
    assert made.conditions()[0].dropped == 4, "5 to 8"
    later = again(database, clock)
    assert later.intake.position("Island") == 7, "there it goes on"
    later.intake.note_taken("Island", [10, 11], 7, clock.now())
    assert later.conditions()[0].dropped == 4 and later.conditions()[0].dropped_at is not None
    later.intake.note_taken("Island", [1, 2], 7, clock.now())
    assert later.conditions()[0].dropped == 4, "its stream was made anew"
    later.intake.note_refused("Island", "of another site")
    assert (again(database, clock).conditions()[0].refused, later.conditions()[0].refusal) == (
        1,
        "of another site",
    )


def test_after_a_start_nothing_is_up_to_date_and_nobody_lost_yet(
    made: Made, database: Database, clock: ManualClock
) -> None:
    made.heard("Island", status("island-1", clock.now()))
    clock.advance(600)
    later = again(database, clock)
    site = later.conditions()[0]
    assert site.silent_since is None and not site.up_to_date and later.is_heard("Island")
    clock.advance(31)
    assert not later.is_heard("Island"), "nothing is asked of it"
    assert later.conditions()[0].silent_since == clock.now() - timedelta(seconds=631)
    later.heard("Island", status("island-1", clock.now(), reads=False))
    assert later.is_heard("Island"), "the one that stands by is about to read"
    later.heard("Island", status("island-1", clock.now()))
    later.intake.note_taken("Island", [1], 7, clock.now())
    assert later.conditions()[0].up_to_date


def test_a_name_and_a_site_stand_for_one(made: Made, database: Database, clock: ManualClock) -> None:
    key = made.get("island-1").public_key
    with pytest.raises(Conflict, match="already"):
        made.add("island-1", "Quays", key)
    with pytest.raises(Conflict, match=r"bus\.url"):
        Made(database, clock, has_bus=False).add("x", "y", key)
    with pytest.raises(NotFound, match="island-1"):
        made.get("island-2")
    made.remove("island-1")
    assert made.sites == frozenset() and again(database, clock).all() == []
