"""The lifecycle of a finding: opens, gathers, is acknowledged, clears, reopens, is explained."""

from collections.abc import Mapping
from dataclasses import replace
from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kiteroll.core.findings.evidence import Jumped, LinkChanged
from kiteroll.core.findings.finding import (
    Cause,
    Details,
    Detection,
    Finding,
    FindingKind,
    Severity,
    State,
    Subject,
)
from kiteroll.core.findings.lifecycle import FindingLifecycle
from kiteroll.core.findings.overdue import may_be_over_at
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.findings.unseen import as_last_read
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.tracking.switch_health import SwitchCondition
from tests.support.factories import at, mac

THRESHOLDS = Thresholds()


def detection(minutes: float, kind: FindingKind = FindingKind.FLAPPING, **values: object) -> Detection:
    fields: dict[str, object] = {
        "kind": kind,
        "severity": Severity.WARNING,
        "subject": Subject(mac=mac(1)),
        "cause": Cause.UNCLEAR,
        "evidence": (Jumped(at(minutes), mac(1), "a", "p1", "p2"),),
        "first_at": at(minutes),
        "last_at": at(minutes),
        "ports": frozenset({("a", "p1")}),
    }
    return Detection(**fields | values)  # type: ignore[arg-type]


def apply(
    lifecycle: FindingLifecycle, *detections: Detection, cleared: Mapping[str, Finding] | None = None
) -> list[Finding]:
    return lifecycle.apply(detections, cleared or {})


def test_a_finding_gathers_clears_when_quiet_and_reopens_with_its_history() -> None:
    lifecycle = FindingLifecycle(THRESHOLDS)
    (first,) = apply(lifecycle, detection(0))
    assert apply(lifecycle, detection(0)) == [], "old news"
    (second,) = apply(lifecycle, detection(5))
    assert (first.count, second.count, second.first_at, second.last_at) == (1, 2, at(0), at(5))
    assert lifecycle.expire(at(19)) == [] and lifecycle.clears_at(second) == at(20)
    (cleared,) = lifecycle.expire(at(20))
    assert (cleared.state, cleared.cleared_at, cleared.cleared_by) == (State.CLEARED, at(20), "")
    assert lifecycle.unknown([detection(30)]) == [cleared.key]
    before = {cleared.key: cleared}
    assert apply(lifecycle, detection(5), cleared=before) == [], "what was known then does not reopen it"
    (again,) = apply(lifecycle, detection(30), cleared=before)
    assert (again.state, again.times_opened, again.count, again.first_at) == (State.OPEN, 2, 3, at(0))
    assert [one.at for one in again.evidence] == [at(0), at(5), at(30)]


@pytest.mark.parametrize(
    ("cleared_by", "opened_at"), [("", 20), ("Mara", None)], ids=["by itself", "by hand: all was known"]
)
def test_evidence_from_before_it_cleared_that_comes_later_opens_it_again(
    cleared_by: str, opened_at: float | None
) -> None:
    lifecycle = FindingLifecycle(THRESHOLDS)
    (one,) = apply(lifecycle, detection(0))
    cleared = replace(one, state=State.CLEARED, cleared_at=at(20), cleared_by=cleared_by)
    lifecycle.clear(one.key, "Mara", at(20))
    again = apply(lifecycle, detection(19), cleared={one.key: cleared})
    assert [(found.opened_at, found.last_at, found.times_opened) for found in again] == (
        [] if opened_at is None else [(at(opened_at), at(19), 2)]
    )


def test_acknowledged_until_and_cleared_by_an_operator() -> None:
    lifecycle = FindingLifecycle(THRESHOLDS)
    (one,) = apply(lifecycle, detection(0))
    held = lifecycle.acknowledge(one.key, "Mara", "cable ordered", at(8))
    assert held is not None and (held.state, held.note) == (State.ACKNOWLEDGED, "cable ordered")
    (gathered,) = apply(lifecycle, detection(4))
    assert gathered.state is State.ACKNOWLEDGED, "new evidence does not take the acknowledgement away"
    (back,) = lifecycle.expire(at(8))
    assert back.state is State.OPEN
    cleared = lifecycle.clear(one.key, "Mara", at(9))
    assert cleared is not None and (cleared.state, cleared.cleared_by) == (State.CLEARED, "Mara")
    assert lifecycle.clear(one.key, "Mara", at(9)) is None
    assert lifecycle.acknowledge(one.key, "Mara", "", None) is None


@given(st.lists(st.tuples(st.integers(0, 4), st.integers(0, 20), st.sampled_from(["detect", "wait", "ack"]))))
def test_time_clears_each_finding_when_it_was_quiet_long_enough(steps: list[tuple[int, int, str]]) -> None:
    lifecycle, now = FindingLifecycle(THRESHOLDS), 0
    last: dict[MacAddress, int] = {}
    for number, minutes, what in steps:
        now += minutes
        detected = detection(now, subject=Subject(mac=mac(number)))
        if what == "ack":
            lifecycle.acknowledge(detected.key, "Mara", "", at(now + 3))
        due = {one for one, heard in last.items() if at(now) - at(heard) >= THRESHOLDS.clear_after}
        cleared = {one.subject.mac for one in lifecycle.expire(at(now)) if one.state is State.CLEARED}
        assert cleared == due
        last = {one: heard for one, heard in last.items() if one not in due}
        for one in lifecycle.live().values():
            overdue = one.acknowledged_until is not None and one.acknowledged_until <= at(now)
            assert not overdue, "an acknowledgement ends in time"
        if what == "detect" and apply(lifecycle, detected):
            last[mac(number)] = now
    assert {one.subject.mac for one in lifecycle.live().values()} == last.keys()


LOOP_PORTS = frozenset({("a", "p1"), ("a", "p2")})
ELSEWHERE = frozenset({("z", "p1")})


def _loop(minutes: float = 1) -> Detection:
    """Addresses 1 to 4 were pulled."""
    details = Details(macs=tuple(mac(number) for number in range(1, 5)), count=4)
    return detection(
        minutes, FindingKind.LOOP, subject=Subject(switch="a"), ports=LOOP_PORTS, details=details
    )


def test_one_loop_explains_what_the_addresses_it_pulls_do_and_nothing_else() -> None:
    lifecycle = FindingLifecycle(THRESHOLDS)
    (flap,) = apply(lifecycle, detection(0))
    loop = _loop()
    opened, explained = apply(lifecycle, loop)
    assert (explained.key, explained.part_of) == (flap.key, opened.key)
    (later,) = apply(lifecycle, detection(2, subject=Subject(mac=mac(2))))
    (far,) = apply(lifecycle, detection(2, subject=Subject(mac=mac(3)), ports=ELSEWHERE))
    (moved,) = apply(lifecycle, detection(2, FindingKind.MOVED, subject=Subject(mac=mac(4)), ports=ELSEWHERE))
    assert (later.part_of, far.part_of, moved.part_of) == (opened.key, opened.key, "")
    for kind, subject in (
        (FindingKind.DUPLICATE, Subject(mac=mac(9))),
        (FindingKind.STRANGER, Subject(mac=mac(2), switch="a", port="p1")),
        (FindingKind.OVERFULL, Subject(switch="a", port="p1")),
        (FindingKind.SILENT_PORT, Subject(switch="a", port="p2")),
    ):
        (own,) = apply(lifecycle, detection(2, kind, subject=subject, ports=LOOP_PORTS))
        assert own.part_of == "", kind


def test_a_loop_does_not_explain_what_was_there_long_before_it() -> None:
    lifecycle = FindingLifecycle(THRESHOLDS)
    apply(lifecycle, detection(-10))
    apply(lifecycle, detection(0.5))
    changed = apply(lifecycle, _loop())
    assert [one.kind for one in changed] == [FindingKind.LOOP]


def test_a_loop_that_comes_again_explains_what_came_with_it_this_time() -> None:
    lifecycle = FindingLifecycle(THRESHOLDS)
    apply(lifecycle, _loop())
    (cleared,) = lifecycle.expire(at(60))
    before, with_it = detection(80, subject=Subject(mac=mac(1))), detection(89, subject=Subject(mac=mac(2)))
    apply(lifecycle, before, with_it)
    changed = apply(lifecycle, _loop(90), cleared={cleared.key: cleared})
    assert [one.key for one in changed] == [cleared.key, with_it.key]


def test_within_one_step_what_explains_goes_first() -> None:
    lifecycle = FindingLifecycle(THRESHOLDS)
    loop = _loop()
    changed = apply(lifecycle, detection(1), loop)
    assert [(one.kind, one.part_of) for one in changed] == [
        (FindingKind.LOOP, ""),
        (FindingKind.FLAPPING, loop.key),
    ]


def test_what_comes_when_its_explanation_is_over_speaks_for_itself() -> None:
    lifecycle = FindingLifecycle(THRESHOLDS)
    apply(lifecycle, _loop(0))
    (flap,) = apply(lifecycle, detection(4))
    assert flap.part_of
    assert lifecycle.live()[flap.key].part_of, "what came while it lasted stays part of it"
    (again,) = apply(lifecycle, detection(11))
    assert (again.state, again.part_of) == (State.OPEN, "")
    assert FindingKind.LOOP in {one.kind for one in lifecycle.live().values()}, "it is quiet, and not cleared"


@pytest.mark.parametrize(
    ("read", "goes_on"),
    [
        ((0, 38), True),
        ((5, 38), True),
        ((39, 38), False),
        ((39, 20), True),
        ((39, None), False),
        ((None, 38), True),
    ],
    ids=["not since", "only once since", "both", "the other is late", "the other is off", "never"],
)
def test_a_loop_is_not_over_while_its_switches_are_not_read(
    read: tuple[float | None, float | None], goes_on: bool
) -> None:
    lifecycle = FindingLifecycle(THRESHOLDS)
    ends = (("a", "p1"), ("b", "p2"))
    apply(lifecycle, detection(0, FindingKind.LOOP, subject=Subject(), details=Details(ports=ends)))
    conditions = {
        name: SwitchCondition(
            name=name,
            interval=timedelta(minutes=5),
            enabled=minute is not None or name == "a",
            read_at=None if minute is None else at(minute),
        )
        for name, minute in zip("ab", read, strict=True)
    }
    changed = lifecycle.expire(at(40), conditions)
    assert [one.state for one in changed] == ([] if goes_on else [State.CLEARED])
    assert [one.state for one in lifecycle.expire(at(41))] == ([State.CLEARED] if goes_on else [])


def test_what_goes_on_unseen_is_over_after_a_day_and_no_longer_acknowledged_before() -> None:
    lifecycle = FindingLifecycle(THRESHOLDS)
    (loop,) = apply(lifecycle, detection(0, FindingKind.LOOP))
    lifecycle.acknowledge(loop.key, "mara", "", at(60))
    unread = {"a": SwitchCondition(name="a", interval=timedelta(minutes=5), read_at=at(0))}
    states = [[one.state for one in lifecycle.expire(at(now), unread)] for now in (50, 61, 70, 1441)]
    assert states == [[], [State.OPEN], [], [State.CLEARED]]


def test_how_something_is_stays_open_as_of_the_last_reading_while_nobody_reads() -> None:
    lifecycle = FindingLifecycle(THRESHOLDS)
    there = detection(10, FindingKind.STRANGER)
    apply(lifecycle, there)
    switch = SwitchCondition(name="a", interval=timedelta(minutes=1), read_at=at(10))
    for late in (switch, replace(switch, enabled=False)):
        assert as_last_read(detection(12, FindingKind.STRANGER), {"a": switch}, at(12)).last_at == at(12)
        lately = as_last_read(detection(60, FindingKind.STRANGER), {"a": late}, at(60))
        assert (lately.first_at, lately.last_at) == (at(10), at(10))
        assert apply(lifecycle, lately) == [] and lifecycle.expire(at(3000), {"a": late}, [there.key]) == []
    (over,) = lifecycle.expire(at(3060), {"a": switch})
    assert over.state is State.CLEARED, "the rule is another now"
    moved = detection(60, FindingKind.MOVED)
    assert as_last_read(moved, {"a": switch}, at(60)) is moved


def test_what_is_come_to_late_and_happened_while_a_loop_lasted_is_explained_by_it() -> None:
    lifecycle = FindingLifecycle(THRESHOLDS)
    apply(lifecycle, _loop(0))
    apply(lifecycle, _loop(5))
    (loop,) = lifecycle.expire(at(40))
    assert loop.state is State.CLEARED
    after_a_restart = FindingLifecycle(THRESHOLDS, lifecycle.remembered())
    for life in (lifecycle, after_a_restart):
        (during,) = apply(life, detection(4, subject=Subject(mac=mac(2))))
        (after,) = apply(life, detection(7, subject=Subject(mac=mac(3))))
        assert (during.part_of, after.part_of) == (loop.key, "")
        assert loop.key not in life.live()


def test_a_duplicate_explains_its_own_moves_and_no_others() -> None:
    lifecycle = FindingLifecycle(THRESHOLDS)
    apply(lifecycle, detection(0, FindingKind.MOVED))
    apply(lifecycle, detection(0, FindingKind.MOVED, subject=Subject(mac=mac(2))))
    found = apply(lifecycle, detection(1, FindingKind.DUPLICATE))
    assert [one.subject.mac for one in found if one.part_of] == [mac(1)]


def test_a_move_after_its_duplicate_is_over_is_one_of_its_own_also_when_it_comes_again() -> None:
    lifecycle = FindingLifecycle(THRESHOLDS)
    twin = detection(2, FindingKind.DUPLICATE, first_at=at(0))
    move = detection(1, FindingKind.MOVED)
    _, moved = apply(lifecycle, twin, move)
    assert moved.part_of == twin.key
    cleared = {one.key: one for one in lifecycle.expire(at(20))}
    assert cleared.keys() == {twin.key, move.key}
    (again,) = apply(lifecycle, detection(25, FindingKind.MOVED), cleared=cleared)
    assert (again.times_opened, again.part_of) == (2, "")


def test_a_move_long_after_its_address_jumped_is_one_of_its_own_while_both_are_open() -> None:
    lifecycle = FindingLifecycle(THRESHOLDS)
    move = detection(1, FindingKind.MOVED)
    flapping = detection(2, FindingKind.FLAPPING, first_at=at(0))
    _, moved = apply(lifecycle, flapping, move)
    assert moved.part_of == flapping.key
    (again,) = apply(lifecycle, detection(14, FindingKind.MOVED))
    assert (again.times_opened, again.part_of) == (1, "")


def test_one_change_of_a_link_is_one_piece_of_evidence_however_its_clock_jitters() -> None:
    lifecycle = FindingLifecycle(THRESHOLDS)
    for minute, jitter in enumerate((0.0, 0.3, -0.4, 60.0)):
        link = LinkChanged(at(0) + timedelta(seconds=jitter), ("a", "p1"))
        jump = Jumped(at(minute), mac(1), "a", "p1", "p2")
        (found,) = apply(lifecycle, detection(minute, evidence=(jump, link)))
    links = [one for one in found.evidence if isinstance(one, LinkChanged)]
    assert len(links) == 2 and found.count == 4 + 2


def test_a_condition_is_counted_once_and_clears_soon_after_it_is_over() -> None:
    lifecycle = FindingLifecycle(THRESHOLDS)
    subject = Subject(switch="a", port="p1")
    apply(lifecycle, detection(0, FindingKind.SILENT_PORT, subject=subject))
    (still,) = apply(lifecycle, detection(1, FindingKind.SILENT_PORT, subject=subject))
    assert (still.count, still.last_at) == (1, at(1))
    (over,) = lifecycle.expire(at(3))
    assert over.state is State.CLEARED


def test_what_our_own_records_report_is_over_once_they_do_not() -> None:
    lifecycle = FindingLifecycle(THRESHOLDS)
    closed = [
        detection(0, FindingKind.PORT_CLOSED, subject=Subject(switch="a", port=port)) for port in ("p1", "p2")
    ]
    apply(lifecycle, *closed, detection(0, FindingKind.SILENT_PORT, subject=Subject(switch="a", port="p3")))
    (over,) = lifecycle.end_unrecorded(closed[:1], at(0.5))
    assert (over.subject.port, over.state, over.cleared_at) == ("p2", State.CLEARED, at(0.5))


def test_how_things_are_on_a_switch_is_over_when_it_left_or_is_switched_off() -> None:
    lifecycle = FindingLifecycle(THRESHOLDS)
    kinds = (FindingKind.NOT_READ, FindingKind.TABLE_FILLING, FindingKind.RESTARTED)
    apply(
        lifecycle,
        *(detection(0, kind, subject=Subject(switch=name)) for kind in kinds for name in ("a", "b")),
    )
    assert lifecycle.end_of_switches({"b"}, (), at(1)) == [], "it may be about to be renamed"
    gone = lifecycle.end_of_switches({"b"}, (), at(1.2))
    assert {(one.subject.switch, one.kind) for one in gone} == {("a", kind) for kind in kinds[:2]}
    (off,) = lifecycle.end_of_switches({"b"}, {"b"}, at(1.4))
    assert (off.subject.switch, off.kind, off.cleared_at) == ("b", FindingKind.NOT_READ, at(1.4))


def test_a_condition_that_was_not_found_again_may_be_over_and_what_happened_stays_so() -> None:
    life = FindingLifecycle(Thresholds())
    kinds = (FindingKind.STRANGER, FindingKind.FLAPPING, FindingKind.LEFT_OUT)
    stranger, flapping, left_out = (apply(life, detection(1, kind))[0] for kind in kinds)
    assert may_be_over_at(stranger) == at(1.5)
    assert may_be_over_at(flapping) is None
    assert may_be_over_at(left_out) is None, "nobody looks before the next reading"
    assert may_be_over_at(apply(life, detection(2, FindingKind.STRANGER))[0]) == at(2.5)
    (cleared,) = [one for one in life.expire(at(9)) if one.kind is FindingKind.STRANGER]
    assert may_be_over_at(cleared) is None


def test_that_a_condition_goes_on_is_a_change_once_and_so_is_that_it_does_not() -> None:
    def stranger(minutes: float, **values: object) -> Detection:
        return detection(minutes, FindingKind.STRANGER, **values)

    lifecycle = FindingLifecycle(THRESHOLDS)
    (opened,) = lifecycle.apply([stranger(0)], {}, at(0))
    assert opened.goes_on
    for look in range(1, 400):
        assert lifecycle.apply([stranger(look / 6)], {}, at(look / 6)) == []
        assert lifecycle.expire(at(look / 6)) == []
    (live,) = lifecycle.live().values()
    assert live == replace(opened, last_at=at(399 / 6)) and lifecycle.clears_at(live) == at(399 / 6 + 2)
    (worse,) = lifecycle.apply([stranger(70, severity=Severity.SERIOUS)], {}, at(70))
    assert (worse.severity, worse.goes_on) == (Severity.SERIOUS, True)
    assert lifecycle.apply([stranger(70.1, severity=Severity.SERIOUS)], {}) == [
        replace(worse, last_at=at(70.1), goes_on=False)
    ], "that is no look at everything"
    assert [one.goes_on for one in lifecycle.apply([stranger(71)], {}, at(71))] == [True]
    (ended,) = lifecycle.apply([], {}, at(71.2))
    assert (ended.goes_on, ended.last_at, ended.state) == (False, at(71), State.OPEN)
    assert lifecycle.apply([], {}, at(71.4)) == []
    as_it_was_read = stranger(71.5)
    assert [one.goes_on for one in lifecycle.apply([as_it_was_read], {}, at(73))] == [False], "long before"
    (over,) = lifecycle.expire(at(74))
    assert over.state is State.CLEARED
