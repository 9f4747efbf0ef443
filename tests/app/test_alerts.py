"""From findings to messages to deliveries: on a real database, with a clock that is turned by hand."""

import asyncio
import json
import threading
from collections.abc import Iterator
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import pytest

from kiteroll.app.access.audit_log import DONE, AuditLog
from kiteroll.app.alerts.alert_routes import AlertRoutes, MessageFilters, MessageRow
from kiteroll.app.alerts.alert_targets import AlertTargets
from kiteroll.app.alerts.router import LOOK_AT_ALL, AlertRouter
from kiteroll.app.alerts.sender import AlertSender
from kiteroll.app.events import EventBus, FindingChanged
from kiteroll.core.access.audit_chain import verify
from kiteroll.core.alerts import delivery
from kiteroll.core.alerts.planned_work import PlannedWork
from kiteroll.core.alerts.route import AlertReason, Route
from kiteroll.core.errors import Conflict, Invalid
from kiteroll.core.findings.finding import Cause, Details, Finding, FindingKind, Severity, State, Subject
from kiteroll.core.model.paging import PageAsk
from kiteroll.store import findings, outbox
from kiteroll.store.database import Database
from kiteroll.store.vault import Vault
from tests.support.clock import ManualClock
from tests.support.factories import NOON
from tests.support.harness import wait_until
from tests.support.live import add_switch

HOUR = timedelta(hours=1)
SETTLED_S = 3 * 60 + 1
"""For what a loop might explain: three readings of the switch."""


def flapping(switch: str = "quay-1", **changes: Any) -> Finding:
    given: dict[str, Any] = {
        "kind": FindingKind.FLAPPING,
        "subject": Subject(switch=switch),
        "severity": Severity.WARNING,
        "cause": Cause.LOOSE_CABLE,
        "state": State.OPEN,
        "evidence": (),
        "count": 1,
        "first_at": NOON,
        "opened_at": NOON,
        "last_at": NOON,
    }
    return Finding(**given | changes)


class Alerting:
    """Router and sender of one service; `restart` makes new ones on the same database."""

    def __init__(self, database: Database, folder: Path) -> None:
        self.database = database
        self.folder = folder
        self.clock = ManualClock()
        self.live: dict[str, Finding] = {}
        self.restart()

    def restart(self) -> None:
        bus, vault = EventBus(), Vault(self.folder / "secrets.key")
        self.bus = bus
        self.router = AlertRouter(
            self.database, self.clock, bus, lambda: list(self.live.values()), "https://kite.example/"
        )
        self.sender = AlertSender(self.database, self.clock, vault)
        self.targets = AlertTargets(self.database, self.clock, vault, self.router, self.sender)
        self.routes = AlertRoutes(self.database, self.clock, self.router)
        self.audit = AuditLog(self.database, self.clock, bus)

    def change(self, finding: Finding) -> None:
        self.live[finding.key] = finding
        if finding.state is State.CLEARED:
            del self.live[finding.key]
        self.database.run(findings.save_findings, [finding])
        self.bus.publish(FindingChanged(finding))

    def after(self, seconds: float) -> list[tuple[str, str]]:
        """What is in the outbox by then, first made first: reason and target."""
        self.router.step()
        self.clock.advance(seconds)
        self.router.step()
        return [(one.reason.value, one.target_name) for one in self.messages()]

    def messages(self) -> list[MessageRow]:
        return list(reversed(self.routes.messages(MessageFilters(), PageAsk(limit=1000)).items))

    def deliver(self) -> list[dict[str, Any]]:
        """What arrives of all that may be tried now."""
        for target in self.database.run(outbox.targets_waited_for, self.clock.now()):
            self.sender.deliver(target)
        files = sorted((self.folder / "alerts").glob("*.json"))
        return [json.loads(file.read_text()) for file in files]


@pytest.fixture
def alerting(database: Database, tmp_path: Path) -> Iterator[Alerting]:
    made = Alerting(database, tmp_path)
    add_switch(database, "quay-1")
    for name in ("folder", "chief"):
        made.targets.set(
            name, "folder", {"path": str(tmp_path / "alerts")}, None, enabled=True, audit_log=False
        )
    made.routes.set(Route(name="all", target="folder", set_at=NOON))
    yield made


def test_a_finding_is_reported_once_it_stands_and_again_when_it_is_over(alerting: Alerting) -> None:
    alerting.change(flapping())
    assert alerting.after(0) == []
    assert alerting.after(SETTLED_S) == [("opened", "folder")]
    alerting.change(flapping(state=State.CLEARED, cleared_at=NOON + HOUR))
    assert alerting.after(0) == [("opened", "folder"), ("over", "folder")]
    again = flapping(times_opened=2, opened_at=NOON + 2 * HOUR)
    alerting.change(again)
    assert alerting.after(SETTLED_S) == [("opened", "folder"), ("over", "folder"), ("opened", "folder")]
    arrived = [one["messages"][0] for one in alerting.deliver()]
    assert [one["text"] for one in arrived][1].startswith("Over: ")
    number = alerting.messages()[0].finding
    assert arrived[0]["link"] == f"https://kite.example/findings/{number}"


def test_what_turns_out_to_be_explained_or_over_at_once_is_not_reported(alerting: Alerting) -> None:
    alerting.change(flapping())
    alerting.change(flapping("quay-2"))
    alerting.after(1)
    alerting.change(flapping(part_of="loop|quay-1"))
    alerting.change(flapping("quay-2", state=State.CLEARED, cleared_at=NOON))
    assert alerting.after(SETTLED_S) == []


def test_what_jumps_is_reported_once_no_loop_can_explain_it_and_all_else_at_once(alerting: Alerting) -> None:
    alerting.change(flapping())
    for kind in (FindingKind.SILENT_PORT, FindingKind.FLOOD):
        alerting.change(flapping(kind=kind))
    assert alerting.after(4) == [("opened", "folder")] * 2, "that a port is silent, and the flood"
    alerting.change(flapping(part_of="loop|quay-1"))
    assert alerting.after(SETTLED_S) == [("opened", "folder")] * 2, "it is part of a loop"


def test_that_a_port_at_an_end_of_a_loop_is_overfull_waits_for_its_end(
    alerting: Alerting,
) -> None:
    port = ("quay-1", "p1")
    loop = flapping(kind=FindingKind.LOOP, severity=Severity.SERIOUS, details=Details(ports=(port,)))
    overfull: dict[str, Any] = {"kind": FindingKind.OVERFULL, "opened_at": NOON + timedelta(seconds=1)}
    alerting.change(loop)
    for at_port in (port, ("quay-1", "p9")):
        subject = Subject(switch=at_port[0], port=at_port[1])
        alerting.change(flapping(**overfull, subject=subject, ports=frozenset({at_port})))
    assert alerting.after(SETTLED_S) == [("opened", "folder")] * 2, "the loop, and the port beside it"
    alerting.change(replace(loop, state=State.CLEARED, cleared_at=NOON + HOUR))
    assert sorted(alerting.after(0)) == [("opened", "folder")] * 3 + [("over", "folder")]


def test_a_service_that_was_killed_reports_what_it_had_not_and_nothing_twice(alerting: Alerting) -> None:
    alerting.change(flapping())
    alerting.after(SETTLED_S)
    alerting.change(flapping("quay-2"))
    alerting.restart()
    assert alerting.after(SETTLED_S) == [("opened", "folder"), ("opened", "folder")]
    cleared = flapping(state=State.CLEARED, cleared_at=alerting.clock.now())
    alerting.change(cleared)
    alerting.restart()
    assert alerting.after(SETTLED_S)[2:] == [("over", "folder")]
    alerting.restart()
    assert len(alerting.after(SETTLED_S)) == 3


def test_while_work_is_planned_nothing_is_reported_and_what_stays_open_is_reported_after(
    alerting: Alerting,
) -> None:
    work = PlannedWork(begins_at=NOON, ends_at=NOON + HOUR, switch="quay-1")
    row = alerting.routes.plan_work(work, "a new switch", "ida")
    alerting.change(flapping())
    alerting.change(flapping("quay-2"))
    assert alerting.after(SETTLED_S) == [("opened", "folder")], "of quay-2 alone"
    assert alerting.after(600) == [("opened", "folder")]
    alerting.routes.end_work(row.id)
    assert alerting.after(LOOK_AT_ALL.total_seconds()) == [("opened", "folder")] * 2
    with pytest.raises(Invalid, match="ends_at"):
        alerting.routes.plan_work(replace(work, ends_at=NOON - HOUR), "", "ida")


def test_it_reminds_and_escalates_until_somebody_acknowledges(alerting: Alerting) -> None:
    alerting.routes.set(
        Route(
            name="all",
            target="folder",
            set_at=NOON,
            remind_after=HOUR,
            escalate_after=HOUR,
            escalate_to="chief",
        )
    )
    alerting.change(flapping())
    alerting.after(SETTLED_S)
    reported = [("opened", "folder"), ("reminder", "folder"), ("escalated", "chief")]
    assert alerting.after(3600) == reported
    alerting.change(flapping(state=State.ACKNOWLEDGED, acknowledged_by="ida"))
    assert alerting.after(7200) == reported


def test_a_target_in_use_stays_and_its_secret_is_kept_and_sealed(alerting: Alerting) -> None:
    with pytest.raises(Conflict, match="all"):
        alerting.targets.remove("folder")
    with pytest.raises(Invalid, match="nowhere"):
        alerting.routes.set(Route(name="all", target="nowhere", set_at=NOON))
    settings = {"url": "https://127.0.0.1:1/"}
    flags = {"enabled": True, "audit_log": False}
    first = alerting.targets.set("hook", "webhook", settings, "s3cret", **flags).row.sealed
    assert first is not None and b"s3cret" not in first
    assert alerting.targets.set("hook", "webhook", settings, None, **flags).row.sealed == first
    assert alerting.targets.set("hook", "webhook", settings, "", **flags).row.sealed is None


def test_many_at_once_arrive_as_one_digest(alerting: Alerting) -> None:
    for number in range(40):
        alerting.change(flapping(f"quay-{number}"))
    assert len(alerting.after(SETTLED_S)) == 40
    (digest,) = alerting.deliver()
    assert len(digest["messages"]) == 40


def test_what_is_serious_waits_behind_no_crowd(alerting: Alerting) -> None:
    for number in range(450):
        alerting.change(flapping(f"quay-{number}"))
    alerting.change(replace(flapping("the worst"), severity=Severity.SERIOUS))
    assert len(alerting.after(SETTLED_S)) == 451
    digests = [[one["switch"] for one in each["messages"]] for each in alerting.deliver()]
    assert ["the worst", *(f"quay-{number}" for number in range(199))] in digests


def test_a_target_that_had_most_of_an_hour_gets_all_there_is_in_one(
    alerting: Alerting, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(delivery, "MOST_IN_AN_HOUR", 3)

    def restarted(number: int, **changes: Any) -> Finding:
        return flapping(f"quay-{number}", kind=FindingKind.RESTARTED, **changes)

    alerting.targets.set(
        "folder", "folder", {"path": str(alerting.folder / "alerts")}, None, enabled=True, audit_log=True
    )
    for number in range(3):
        alerting.change(restarted(number))
        alerting.after(4)
        alerting.deliver()
    assert [len(one["messages"]) for one in alerting.deliver()] == [1] * 3
    for number in range(3, 253):
        alerting.change(restarted(number))
    for number in range(2):
        alerting.change(restarted(number, state=State.CLEARED, cleared_at=NOON + HOUR))
    alerting.audit.append(DONE, "finding.ack", "quay-1", principal=None, client="", by="ida")
    alerting.after(4)
    assert len(alerting.deliver()) == 3, "it rests"
    alerting.clock.advance(300)
    last = alerting.deliver()[-1]
    assert [one["switch"] for one in last["messages"][:-1]] == [f"quay-{number}" for number in range(3, 203)]
    counted = last["messages"][-1]
    assert counted["text"] == (
        "52 more alerts are only counted here: 50 switch-restarted opened, 2 switch-restarted over"
    )
    states = [one.state for one in alerting.messages()]
    assert {state: states.count(state) for state in set(states)} == {"sent": 203, "counted": 52, "waiting": 1}
    alerting.clock.advance(300)
    reasons = [[one["reason"] for one in each["messages"]] for each in alerting.deliver()]
    assert ["audit"] in reasons, "each of those is sent"


def test_a_crowd_for_one_target_holds_up_no_other(alerting: Alerting) -> None:
    unheard = {"url": "https://127.0.0.1:1/"}
    alerting.targets.set("hook", "webhook", unheard, "", enabled=True, audit_log=False)
    alerting.routes.set(Route(name="all", target="hook", set_at=NOON))
    alerting.routes.set(Route(name="worst", target="chief", severity=Severity.SERIOUS, set_at=NOON))
    for number in range(1100):
        alerting.change(flapping(f"quay-{number + 2}"))
    alerting.after(SETTLED_S)
    alerting.change(flapping("quay-1", severity=Severity.SERIOUS))
    alerting.after(SETTLED_S)
    (arrived,) = alerting.deliver()
    assert [one["switch"] for one in arrived["messages"]] == ["quay-1"]


def test_a_target_that_fails_is_tried_again_and_nothing_is_lost(alerting: Alerting) -> None:
    place = alerting.folder / "alerts"
    place.write_text("in the way")
    alerting.change(flapping())
    alerting.after(SETTLED_S)
    assert alerting.deliver() == []
    status = alerting.targets.get("folder")
    assert status.failing is not None and "alerts" in status.failing.error and status.backlog.waiting == 1
    assert alerting.deliver() == [] and alerting.messages()[0].attempts == 1, "it waits before it tries again"
    place.unlink()
    alerting.clock.advance(6)
    (arrived,) = alerting.deliver()
    assert not arrived["possibly_repeated"] and alerting.targets.get("folder").failing is None
    assert alerting.messages()[0].state == "sent" and alerting.messages()[0].attempts == 2


def test_after_a_day_it_is_given_up_and_said_so(alerting: Alerting) -> None:
    (alerting.folder / "alerts").write_text("in the way")
    alerting.change(flapping())
    alerting.after(SETTLED_S)
    alerting.clock.advance(86400 + 60)
    assert alerting.deliver() == []
    (lost,) = alerting.messages()
    assert lost.state == "failed" and lost.error


def test_what_was_being_sent_when_the_service_ended_is_sent_again_and_says_so(alerting: Alerting) -> None:
    alerting.change(flapping())
    alerting.after(SETTLED_S)
    ids = [one.id for one in alerting.messages()]
    alerting.database.run(outbox.begin_delivery, ids, "killed")
    alerting.restart()

    async def start() -> None:
        running = asyncio.create_task(alerting.sender.run())
        await asyncio.to_thread(
            wait_until, lambda: alerting.messages()[0].state == "sent", "it to be sent again"
        )
        running.cancel()

    asyncio.run(asyncio.wait_for(start(), 20))
    (arrived,) = alerting.deliver()
    assert arrived["possibly_repeated"] and alerting.messages()[0].possibly_repeated


def test_the_audit_log_is_sent_on_whole_so_that_its_chain_can_be_checked(alerting: Alerting) -> None:
    path = str(alerting.folder / "alerts")

    def enter(action: str) -> None:
        alerting.audit.append(DONE, action, "quay-1", principal=None, client="", by="ida")

    enter("before.it-was-asked-for")
    alerting.targets.set("chief", "folder", {"path": path}, None, enabled=True, audit_log=True)
    for number in range(3):
        enter(f"switch.add-{number}")
    assert alerting.after(0) == [("audit", "chief")] * 3
    alerting.restart()
    assert alerting.after(20) == [("audit", "chief")] * 3
    entries = [dict(one.content) for one in alerting.messages()]
    assert [one["number"] for one in entries] == [2, 3, 4]
    before = next(iter(alerting.audit.every_entry())).plain()
    assert verify(iter([before, *entries])).broken_at is None
    assert [one.reason for one in alerting.messages()] == [AlertReason.AUDIT] * 3


def test_what_two_targets_took_at_once_is_noted_once_each(
    alerting: Alerting, monkeypatch: pytest.MonkeyPatch
) -> None:
    noted: list[list[int]] = []
    another = threading.Event()

    def note(work: object, ids: list[int], at: datetime, counted: list[int]) -> None:
        if noted:
            another.set()
        noted.append(ids)
        if not another.is_set():
            threads.append(threading.Thread(target=alerting.sender._finish))
            threads[0].start()
            another.wait(0.3)  # it has to wait for this one

    threads: list[threading.Thread] = []
    monkeypatch.setattr(alerting.database, "run", note)
    alerting.sender._unfinished.extend([([1], [], NOON), ([2], [], NOON)])
    alerting.sender._finish()
    threads[0].join()
    assert noted == [[1], [2]] and not alerting.sender._unfinished
