"""How collectors are, and what is reported of the sites they read."""

from datetime import UTC, datetime, timedelta

from kiteroll.core.findings.condition_watch import ConditionWatch
from kiteroll.core.findings.finding import FindingKind
from kiteroll.core.findings.kinds import readings_dropped, readings_refused, site_not_read
from kiteroll.core.findings.service_condition import ServiceCondition
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.collector import (
    LOST_AFTER,
    Collector,
    CollectorState,
    CollectorStatus,
    SiteCondition,
    silent_since,
)
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.replay.memory_facts import MemoryFacts
from kiteroll.core.topology.roles import Topology
from kiteroll.core.tracking.switch_health import SwitchCondition
from kiteroll.wording.finding_titles import title
from kiteroll.wording.findings import cause

NOW = datetime(2026, 5, 4, 12, 0, tzinfo=UTC)
SECOND, MINUTE = timedelta(seconds=1), timedelta(minutes=1)


def collector(name: str, heard: timedelta | None, *, reads: bool = True) -> Collector:
    word = None
    if heard is not None:
        word = CollectorStatus(
            heard_at=NOW - heard,
            version="1",
            started_at=NOW - 10 * MINUTE,
            reads=reads,
            switches=3,
            clock_ahead_s=0,
            waiting=0,
        )
    return Collector(name=name, site="Island", public_key="", added_at=NOW - 10 * MINUTE, status=word)


def test_a_collector_is_lost_when_it_is_not_heard_whatever_it_did() -> None:
    states = [
        collector("a", heard, reads=reads).state(NOW)
        for heard, reads in ((SECOND, True), (SECOND, False), (LOST_AFTER + SECOND, True), (None, False))
    ]
    assert states == [
        CollectorState.READING,
        CollectorState.STANDBY,
        CollectorState.LOST,
        CollectorState.NEVER_HEARD,
    ]


def test_a_site_is_silent_unless_one_that_reads_is_heard() -> None:
    lost, standby, reading = (
        collector("a", 3 * MINUTE),
        collector("b", SECOND, reads=False),
        collector("c", SECOND),
    )
    assert silent_since([lost, reading], NOW) is None
    assert silent_since([lost], NOW) == NOW - 3 * MINUTE
    assert silent_since([lost, standby], NOW) == NOW - SECOND, "heard, though it does not read"
    assert silent_since([collector("d", None)], NOW) == NOW - 10 * MINUTE, "since it was added"


def service(**values: object) -> ServiceCondition:
    return ServiceCondition(sites=(SiteCondition(site="Island", **values),))  # type: ignore[arg-type]


def test_a_site_is_reported_when_nothing_comes_from_it() -> None:
    assert site_not_read.detect(service(), NOW) is None
    assert site_not_read.detect(service(silent_since=NOW - 59 * SECOND), NOW) is None
    found = site_not_read.detect(service(silent_since=NOW - MINUTE, error="no route"), NOW)
    assert found is not None and title(found) == "no readings come from Island"
    assert cause(found) == "no collector of it is heard: no route" and found.first_at == NOW - MINUTE
    assert site_not_read.detect(service(behind_since=NOW - MINUTE), NOW) is None
    late = site_not_read.detect(service(behind_since=NOW - 2 * MINUTE), NOW)
    assert late is not None and cause(late) == "its readings come late"


def test_what_was_dropped_or_refused_is_reported_for_a_while() -> None:
    dropped = readings_dropped.detect(service(dropped=7, dropped_at=NOW - MINUTE), NOW)
    assert dropped is not None
    assert title(dropped) == "7 readings of Island were dropped before they could be sent"
    assert readings_dropped.detect(service(dropped=7, dropped_at=NOW - 5 * MINUTE), NOW) is None
    refused = readings_refused.detect(service(refused=1, refused_at=NOW, refusal="of core-1"), NOW)
    assert refused is not None and (title(refused), cause(refused)) == (
        "readings of Island were refused",
        "of core-1",
    )


class Facts(MemoryFacts):
    """Four switches of a site that are late, and nothing else."""

    def __init__(self, reported: ServiceCondition) -> None:
        super().__init__(hold_time=None, shared=(), rules=RuleBook())
        self._reported = reported

    def conditions(self) -> list[SwitchCondition]:
        late = NOW - 10 * MINUTE
        return [
            SwitchCondition(name=f"island-{one}", site="Island", interval=MINUTE, read_at=late)
            for one in range(4)
        ]

    def service(self) -> ServiceCondition:
        return self._reported


def test_switches_of_a_site_that_is_not_up_to_date_are_not_reported_one_by_one() -> None:
    for reported, kinds in (
        (service(as_of=NOW - SECOND), {FindingKind.NOT_READ, FindingKind.SWITCHES_LATE}),
        (service(as_of=NOW - 8 * MINUTE), set()),  # nobody was there to read them since
        (service(behind_since=NOW - MINUTE), set()),
        (service(silent_since=NOW - 2 * MINUTE), {FindingKind.SITE_NOT_READ}),
    ):
        watch = ConditionWatch(Thresholds())
        assert {
            one.kind for one in watch.detect(Facts(ServiceCondition()), Topology({}), NOW - 4 * MINUTE)
        } == set(), "the service has just begun: nobody read them while it was away"
        assert {one.kind for one in watch.detect(Facts(reported), Topology({}), NOW)} == kinds


def test_who_was_late_before_a_start_is_late_still_and_nobody_else_is_called_so() -> None:
    watch, reported = ConditionWatch(Thresholds()), service(as_of=NOW - SECOND)
    found = watch.detect(Facts(reported), Topology({}), NOW, (), {"island-2"})
    assert [one.subject.switch for one in found if one.kind is FindingKind.NOT_READ] == ["island-2"]
