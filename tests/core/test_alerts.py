"""Routes, planned work, and what is to be reported of a finding."""

from datetime import UTC, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest

from kiteroll.core.alerts.delivery import batches, must_rest, pause_after
from kiteroll.core.alerts.plan import Planned, Sent, planned
from kiteroll.core.alerts.planned_work import PlannedWork
from kiteroll.core.alerts.route import AlertReason, Hours, Route, Where
from kiteroll.core.findings.finding import Cause, Finding, FindingKind, Severity, State, Subject

NOON = datetime(2026, 5, 4, 12, 0, tzinfo=UTC)  # a Monday
HOUR = timedelta(hours=1)
QUAY = (Where(switch="quay-1", site="Quays", groups=frozenset({"access"})),)
ROUTE = Route(name="night", target="mail", set_at=NOON - HOUR)


def loop(state: State = State.OPEN, severity: Severity = Severity.SERIOUS, part_of: str = "") -> Finding:
    return Finding(
        kind=FindingKind.LOOP,
        subject=Subject(switch="quay-1"),
        severity=severity,
        cause=Cause.SECOND_CABLE,
        state=state,
        evidence=(),
        count=1,
        first_at=NOON,
        opened_at=NOON,
        last_at=NOON,
        part_of=part_of,
    )


def report(route: Route, finding: Finding, *reported: Sent, after: timedelta = timedelta()) -> list[Planned]:
    return planned(route, finding, reported, takes=True, now=NOON + after)


OPENED = Sent(AlertReason.OPENED, NOON, 0)


def test_an_open_finding_is_reported_once_and_its_end_to_those_who_got_it() -> None:
    assert report(ROUTE, loop()) == [Planned(AlertReason.OPENED, "mail")]
    assert report(ROUTE, loop(), OPENED) == []
    assert report(ROUTE, loop(State.CLEARED)) == []
    assert report(ROUTE, loop(State.CLEARED), OPENED) == [Planned(AlertReason.OVER, "mail")]
    assert report(ROUTE, loop(State.CLEARED), OPENED, Sent(AlertReason.OVER, NOON, 0)) == []


def test_what_is_explained_acknowledged_or_older_than_the_route_is_not_reported() -> None:
    assert report(ROUTE, loop(part_of="loop|quay-2")) == []
    assert report(ROUTE, loop(State.ACKNOWLEDGED)) == []
    assert report(Route(name="new", target="mail", set_at=NOON + HOUR), loop(), after=2 * HOUR) == []


def test_it_is_reported_again_and_to_somebody_else_while_nobody_acknowledges_it() -> None:
    route = Route(
        name="night",
        target="mail",
        set_at=NOON,
        remind_after=HOUR,
        escalate_after=2 * HOUR,
        escalate_to="chief",
    )
    assert report(route, loop(), OPENED, after=HOUR / 2) == []
    assert report(route, loop(), OPENED, after=HOUR) == [Planned(AlertReason.REMINDER, "mail", 1)]
    again = Sent(AlertReason.REMINDER, NOON + HOUR, 1)
    assert report(route, loop(), OPENED, again, after=2 * HOUR) == [
        Planned(AlertReason.REMINDER, "mail", 2),
        Planned(AlertReason.ESCALATED, "chief"),
    ]
    higher = Sent(AlertReason.ESCALATED, NOON + 2 * HOUR, 0)
    assert report(route, loop(State.ACKNOWLEDGED), OPENED, higher, after=9 * HOUR) == []
    over = report(route, loop(State.CLEARED), OPENED, higher, after=9 * HOUR)
    assert [one.target for one in over] == ["mail", "chief"]


@pytest.mark.parametrize(
    ("changes", "taken"),
    [
        ({}, True),
        ({"severity": Severity.SERIOUS}, False),
        ({"kinds": frozenset({"loop"})}, True),
        ({"kinds": frozenset({"flapping"})}, False),
        ({"sites": frozenset({"Quays", "Depot"})}, True),
        ({"sites": frozenset({"Depot"})}, False),
        ({"groups": frozenset({"core"})}, False),
        ({"hours": Hours(since=time(8), until=time(17))}, True),
        ({"hours": Hours(since=time(12, 1), until=time(17))}, False),
        ({"hours": Hours(since=time(8), until=time(12))}, False),
        ({"hours": Hours(days=frozenset({5, 6}))}, False),
        ({"enabled": False}, False),
    ],
)
def test_a_route_takes_what_fits_all_it_says(changes: dict[str, object], taken: bool) -> None:
    route = Route(**{"name": "r", "target": "t", "set_at": NOON, **changes})  # type: ignore[arg-type]
    assert route.takes(loop(severity=Severity.WARNING), QUAY, NOON) is taken


def test_hours_over_midnight_belong_to_the_day_they_begin_in_and_to_their_zone() -> None:
    nights = Hours(days=frozenset({0}), since=time(22), until=time(6))
    assert nights.hold(NOON.replace(hour=23))
    assert nights.hold(NOON.replace(day=5, hour=5))
    assert not nights.hold(NOON.replace(hour=5)), "of the night from Sunday"
    assert not nights.hold(NOON.replace(day=5, hour=23))
    summer = Hours(since=time(8), until=time(9), zone=ZoneInfo("Europe/Oslo"))
    assert summer.hold(NOON.replace(hour=6, minute=30)) and not summer.hold(NOON.replace(hour=8))


def test_planned_work_covers_what_lies_wholly_in_it() -> None:
    work = PlannedWork(begins_at=NOON, ends_at=NOON + HOUR, site="Quays")
    elsewhere = (*QUAY, Where(switch="depot-1", site="Depot"))
    assert work.covers(loop(), QUAY, NOON)
    assert not work.covers(loop(), elsewhere, NOON), "half of it is elsewhere"
    assert not work.covers(loop(), (), NOON), "nobody knows where it is"
    assert not work.covers(loop(), QUAY, NOON + HOUR)
    assert not PlannedWork(begins_at=NOON, ends_at=NOON + HOUR, kind="flapping").covers(loop(), QUAY, NOON)
    assert PlannedWork(begins_at=NOON, ends_at=NOON + HOUR).covers(loop(), (), NOON)


def test_many_become_digests_failures_pause_longer_and_a_target_rests() -> None:
    assert [len(one) for one in batches(range(5), 59)] == [1] * 5
    assert [len(one) for one in batches(range(5), 60)] == [5]
    assert [len(one) for one in batches(range(450), 0)] == [200, 200, 50]
    pauses = [pause_after(count) for count in range(1, 40)]
    assert pauses[0] == timedelta(seconds=5) and pauses[-1] == timedelta(minutes=15)
    assert pauses == sorted(pauses)
    assert must_rest(60, timedelta(minutes=1)) and not must_rest(60, timedelta(minutes=6))
    assert not must_rest(59, timedelta(0))
