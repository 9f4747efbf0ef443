"""The service's own troubles as findings."""

from datetime import UTC, datetime, timedelta

import pytest

from kiteroll.core.findings.finding import Detection, Severity
from kiteroll.core.findings.kinds import (
    alerts_not_delivered,
    certificate_ends,
    database_away,
    disk_filling,
    switches_late,
    worker_failed,
)
from kiteroll.core.findings.service_condition import Outage, ServiceCondition, Trouble
from kiteroll.core.tracking.switch_health import SwitchCondition, SwitchHealth
from kiteroll.wording.finding_titles import title
from kiteroll.wording.findings import cause, evidence_text

NOW = datetime(2026, 5, 4, 12, 0, tzinfo=UTC)
MINUTE = timedelta(minutes=1)


def said(found: Detection | None) -> tuple[str, str, Severity]:
    assert found is not None
    assert all(evidence_text(one) for one in found.evidence)
    return title(found), cause(found), found.severity


def test_a_service_without_trouble_has_no_findings() -> None:
    well = ServiceCondition(disk=(50, 100), certificate_ends_at=NOW + timedelta(days=22))
    for kind in (worker_failed, database_away, disk_filling, certificate_ends, alerts_not_delivered):
        assert kind.detect(well, NOW) is None
        assert kind.detect(ServiceCondition(), NOW) is None


def test_workers_and_targets_that_fail_are_named() -> None:
    trouble = Trouble("topology", NOW - MINUTE, "KeyError: 3")
    found = worker_failed.detect(ServiceCondition(workers=(trouble,)), NOW)
    assert said(found) == ("the service's topology fails", "KeyError: 3", Severity.SERIOUS)
    target = Trouble("noc", NOW - MINUTE, "mail.example:587: refused")
    assert alerts_not_delivered.detect(ServiceCondition(targets=(target,)), NOW) is None, "not lasting yet"
    found = alerts_not_delivered.detect(ServiceCondition(targets=(target,)), NOW + MINUTE)
    assert said(found)[:2] == ("alerts do not reach noc", "mail.example:587: refused")


@pytest.mark.parametrize(
    ("free", "total", "severity"),
    [
        (9_000_000_000, 100_000_000_000, Severity.WARNING),
        (1_900_000_000, 100_000_000_000, Severity.SERIOUS),
        (1_500_000_000, 16_000_000_000, Severity.SERIOUS),
    ],
)
def test_a_disk_that_fills_is_reported_before_it_is_full(free: int, total: int, severity: Severity) -> None:
    words, _, reported = said(disk_filling.detect(ServiceCondition(disk=(free, total)), NOW))
    assert reported is severity and f"{free / 1e9:.1f} GB of {total / 1e9:.1f} GB left" in words


def test_a_certificate_is_reported_before_it_ends_and_after() -> None:
    for days, severity, words in (
        (20, Severity.WARNING, "ends"),
        (2, Severity.SERIOUS, "ends"),
        (-1, Severity.SERIOUS, "ended"),
    ):
        condition = ServiceCondition(certificate_ends_at=NOW + timedelta(days=days))
        reported = said(certificate_ends.detect(condition, NOW))
        assert (
            reported[0].startswith(f"the certificate of the service {words} at 2026-")
            and reported[2] is severity
        )


def test_an_outage_is_reported_once_it_is_over_and_was_long() -> None:
    long = ServiceCondition(outage=Outage(NOW - 3 * MINUTE, NOW, "it does not answer"))
    assert said(database_away.detect(long, NOW))[:2] == (
        "the database was away for 3 min",
        "it does not answer",
    )
    assert database_away.detect(long, NOW + 6 * MINUTE) is None, "it was reported"
    short = ServiceCondition(outage=Outage(NOW - timedelta(seconds=20), NOW, ""))
    assert database_away.detect(short, NOW) is None


def test_many_switches_that_are_not_read_are_one_finding_more() -> None:
    def switch(number: int, outcome: SwitchHealth, *, enabled: bool = True) -> SwitchCondition:
        return SwitchCondition(
            name=f"quay-{number}",
            interval=MINUTE,
            enabled=enabled,
            last_outcome=outcome if enabled else SwitchHealth.OFF,
            outcome_since=NOW - MINUTE,
            read_at=NOW,
        )

    silent = [switch(number, SwitchHealth.SILENT) for number in range(3)]
    well = [switch(number, SwitchHealth.READ) for number in range(3, 15)]
    off = [switch(number, SwitchHealth.READ, enabled=False) for number in range(15, 40)]
    assert said(switches_late.detect([*silent, *well, *off], {}, NOW))[0] == "3 of 15 switches are not read"
    assert switches_late.detect([*silent[:2], *off], {}, NOW) is None
    assert switches_late.detect([*silent, *well, switch(99, SwitchHealth.READ)], {}, NOW) is None, (
        "a fifth is more"
    )
