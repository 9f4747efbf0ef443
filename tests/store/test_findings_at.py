"""Findings as of an instant, and under the names of their switches, against a real database."""

from dataclasses import replace
from datetime import datetime, timedelta

import pytest

from kiteroll.core.findings.evidence import Started
from kiteroll.core.findings.finding import Cause, Finding, FindingKind, Severity, State, Subject
from kiteroll.core.model.paging import PageAsk
from kiteroll.store import findings, retention
from kiteroll.store.database import Database
from kiteroll.store.findings import FindingFilters
from tests.support.factories import NOON, at


def restarted(switch: str, minutes: float) -> Finding:
    began = at(minutes)
    return Finding(
        kind=FindingKind.RESTARTED,
        subject=Subject(switch=switch),
        severity=Severity.NOTE,
        cause=Cause.RESTART,
        state=State.OPEN,
        evidence=(Started(began),),
        count=1,
        first_at=began,
        opened_at=began,
        last_at=began,
    )


def cleared(one: Finding, minutes: float) -> Finding:
    return replace(one, state=State.CLEARED, cleared_at=at(minutes))


def again(one: Finding, minutes: float) -> Finding:
    began = at(minutes)
    return replace(
        one,
        state=State.OPEN,
        cleared_at=None,
        opened_at=began,
        last_at=began,
        evidence=(*one.evidence, Started(began)),
        times_opened=one.times_opened + 1,
    )


def open_at(database: Database, minutes: float) -> list[Finding]:
    page = database.run(findings.findings_page, FindingFilters(at=at(minutes)), PageAsk(sort="opened_at"))
    return [row.finding for row in page.items]


def test_what_was_open_at_an_instant_is_known_however_often_it_opened_since(database: Database) -> None:
    one, other = restarted("quay-1", 0), restarted("quay-2", 5)
    second = again(one, 20)
    for step in (one, other, cleared(one, 10), second, cleared(second, 30), again(second, 40)):
        database.run(findings.save_findings, [step])
    assert open_at(database, -1) == []
    assert [found.subject.switch for found in open_at(database, 7)] == ["quay-1", "quay-2"]
    assert [found.subject.switch for found in open_at(database, 15)] == ["quay-2"]
    (_, then) = open_at(database, 25)
    assert (then.subject.switch, then.opened_at, then.last_at, then.state) == (
        "quay-1",
        at(20),
        at(20),
        State.OPEN,
    )
    assert (then.cleared_at, len(then.evidence), then.times_opened) == (
        None,
        2,
        2,
    )  # what came later was not known


def test_one_that_cleared_and_opened_between_two_times_it_was_stored_was_open_once_at_a_time(
    database: Database,
) -> None:
    one = restarted("quay-1", 0)
    database.run(findings.save_findings, [one])
    database.run(findings.save_findings, [again(one, 20)])
    assert [len(open_at(database, minutes)) for minutes in (10, 25)] == [1, 1]
    (then,) = open_at(database, 10)
    assert (then.opened_at, then.times_opened) == (NOON, 1)


def test_what_goes_on_after_a_start_is_what_is_open_and_what_explained_others_lately(
    database: Database,
) -> None:
    kept = [restarted("quay-1", 0), cleared(restarted("quay-2", 0), 1), cleared(restarted("quay-3", 5), 6)]
    kept.append(replace(kept[-1], kind=FindingKind.LOOP))
    database.run(findings.save_findings, kept)
    found = database.run(findings.unfinished_findings, {FindingKind.LOOP}, at(5))
    assert {one.key for one in found} == {kept[0].key, kept[-1].key}
    assert database.run(findings.unfinished_findings, {FindingKind.LOOP}, at(5.1)) == kept[:1]


def test_numbers_of_findings_are_used_up_by_new_ones_alone(database: Database) -> None:
    first, second = (restarted(switch, 0) for switch in ("quay-1", "quay-2"))
    for minute in range(20):
        database.run(findings.save_findings, [replace(first, last_at=at(minute))])
    database.run(findings.save_findings, [again(first, 20), second, second])
    rows = database.run(findings.by_keys, [first.key, second.key])
    assert rows[first.key].finding.times_opened == 2
    assert rows[second.key].id == rows[first.key].id + 1


def test_what_goes_on_does_so_as_of_the_latest_look_and_stands_first(database: Database) -> None:
    steady, other, moved = (restarted(switch, minutes) for switch, minutes in (("a", 0), ("b", 1), ("c", 9)))
    steady, other = replace(steady, goes_on=True), replace(other, goes_on=True)
    database.run(findings.save_findings, [steady, other, moved], at(1))
    database.run(findings.save_findings, [], at(8))
    shown = [replace(one, last_at=at(8)) for one in (other, steady)] + [moved]
    asks = [PageAsk(limit=1), PageAsk(limit=1, sort="severity"), PageAsk(limit=1, sort="-last_at")]
    for ask in asks:
        found = []
        while True:
            page = database.run(findings.findings_page, FindingFilters(), ask)
            found += [row.finding for row in page.items]
            # Another look between two pages leaves none out.
            database.run(findings.save_findings, [], at(8))
            if page.next is None:
                break
            ask = replace(ask, cursor=page.next)
        assert found == shown
    for since, count in ((7, 3), (8, 3), (8.5, 1)):
        page = database.run(findings.findings_page, FindingFilters(since=at(since)), PageAsk())
        assert len(page.items) == count
    assert database.run(findings.unfinished_findings, (), at(0)) == [shown[1], shown[0], moved]
    ended = replace(steady, goes_on=False, last_at=at(8))
    database.run(findings.save_findings, [ended], at(20))
    rows = database.run(findings.by_keys, [steady.key, other.key])
    assert rows[steady.key].finding == ended
    assert rows[other.key].finding == replace(other, last_at=at(20))


@pytest.mark.parametrize(("kept_for", "openings"), [(timedelta(minutes=30), 1), (timedelta(days=1), 2)])
def test_openings_are_kept_as_long_as_history(database: Database, kept_for: timedelta, openings: int) -> None:
    one = restarted("quay-1", 0)
    now: datetime = at(50)
    for step in (one, cleared(one, 10), again(one, 40)):
        database.run(findings.save_findings, [step])
    retention.delete_expired(database, readings_before=now - kept_for, history_before=now - kept_for)
    assert sum(len(open_at(database, minutes)) for minutes in (5, 45)) == openings


def test_findings_about_a_switch_are_those_of_that_very_name(database: Database) -> None:
    places = {"quay_1": "p1", "quay-1": "p1", "p1": "quay_1"}
    made = [
        replace(restarted(f"of {name}", minutes), ports=frozenset({(name, port)}))
        for minutes, (name, port) in enumerate(places.items())
    ]
    database.run(findings.save_findings, [*made, restarted("quay_1", 9)])
    page = database.run(findings.findings_page, FindingFilters(switch="quay_1"), PageAsk(sort="opened_at"))
    assert [row.finding.subject.switch for row in page.items] == ["of quay_1", "quay_1"]


def test_behind_what_explains_a_finding_is_what_explains_that(database: Database) -> None:
    behind = restarted("quay-1", 0)
    between = replace(restarted("quay-2", 1), part_of=behind.key)
    part = replace(restarted("quay-3", 2), part_of=between.key)
    database.run(findings.save_findings, [behind, between, part])
    page = database.run(findings.findings_with_parts, FindingFilters(), PageAsk(sort="opened_at"))
    assert [(one.parts, one.by and one.by.finding, one.root and one.root.finding) for one in page.items] == [
        (1, None, None),
        (1, behind, behind),
        (0, between, behind),
    ]


def test_what_was_reported_follows_a_renamed_switch(database: Database) -> None:
    over, elsewhere = cleared(restarted("quay-1", 0), 5), restarted("quay-2", 1)
    at_its_port = replace(elsewhere, ports=frozenset({("quay-1", "p1")}))
    part = replace(restarted("quay-3", 2), part_of=over.key)
    database.run(findings.save_findings, [over, at_its_port, part])
    database.run(findings.rename_findings, at(9), "quay-1", "quay-one")
    assert _reported(database) == [
        replace(over, subject=Subject(switch="quay-one")),
        replace(at_its_port, ports=frozenset({("quay-one", "p1")})),
        replace(part, part_of=replace(over, subject=Subject(switch="quay-one")).key),
    ]


def test_what_was_reported_of_a_switch_that_had_the_name_once_stays_as_it_was(database: Database) -> None:
    of_that_one, ended = cleared(restarted("quay-one", 0), 5), cleared(restarted("quay-1", 1), 6)
    part = replace(restarted("quay-3", 2), part_of=ended.key)
    database.run(findings.save_findings, [of_that_one, ended, part])
    database.run(findings.rename_findings, at(9), "quay-1", "quay-one")
    assert _reported(database) == [of_that_one, ended, part]
    opened = again(ended, 10)
    database.run(findings.save_findings, [opened])
    database.run(findings.rename_findings, at(19), "quay-1", "quay-one")
    assert _reported(database) == [of_that_one, cleared(opened, 19), part]


def _reported(database: Database) -> list[Finding]:
    page = database.run(findings.findings_page, FindingFilters(), PageAsk())
    return [row.finding for row in sorted(page.items, key=lambda row: row.id)]


def test_the_worst_come_first_and_of_those_the_latest_page_by_page(database: Database) -> None:
    levels = (Severity.NOTE, Severity.SERIOUS, Severity.WARNING, Severity.SERIOUS, Severity.NOTE)
    every = [
        replace(restarted(f"quay-{number}", number), severity=level) for number, level in enumerate(levels)
    ]
    database.run(findings.save_findings, every)

    def listed(sort: str) -> list[tuple[Severity, datetime]]:
        found, cursor = [], None
        while True:
            ask = PageAsk(cursor, 2, sort)
            page = database.run(findings.findings_page, FindingFilters(), ask)
            found += [(row.finding.severity, row.finding.last_at) for row in page.items]
            if (cursor := page.next) is None:
                return found

    order = [(levels[number], at(number)) for number in (3, 1, 2, 4, 0)]
    assert (listed("severity"), listed("-severity")) == (order, order[::-1])
