"""Actions, closed ports and proposals on a real server."""

from datetime import timedelta

import pytest

from kiteroll.core.alerts.planned_work import PlannedWork
from kiteroll.core.errors import Conflict, NotFound
from kiteroll.core.model.paging import PageAsk
from kiteroll.core.port_actions.actions import ActionKind, ActionState, ObjectWrite
from kiteroll.core.port_actions.closures import Closure
from kiteroll.store import alert_settings, inventory, port_actions, port_closures, port_proposals
from kiteroll.store.database import Database
from kiteroll.store.port_actions import ActionFilters, NewAction
from kiteroll.store.port_proposals import NewProposal
from kiteroll.store.retention import delete_expired
from tests.support.factories import at

PORT = ("quay-1", "p17")


def action(kind: ActionKind = ActionKind.CLOSE, *, by: str = "mara", port: str = PORT[1]) -> NewAction:
    return NewAction(
        kind=kind,
        switch=PORT[0],
        port=port,
        write=ObjectWrite("ifAdminStatus.17", "up", "down"),
        reason="a stranger",
        asked_by=by,
        via="session",
        overridden=("uplink",),
        breach="stranger|x",
        reopen_after_s=60,
        present=("02:1a:01:00:00:01",),
    )


def proposal(closings: int = 0) -> NewProposal:
    return NewProposal(
        switch=PORT[0],
        port=PORT[1],
        breach="stranger|x",
        finding=7,
        times_opened=1,
        closings=closings,
        why="a stranger",
        note="",
        reopen_after_s=60,
        expires_at=at(60),
    )


def test_an_action_is_there_before_it_ends_and_is_found_until_its_end_is_known(database: Database) -> None:
    run = database.run
    first = run(port_actions.begin_action, action(), at(0))
    second = run(port_actions.begin_action, action(by=""), at(1))
    assert [one.id for one in run(port_actions.unfinished_actions)] == [first.id, second.id]
    asked = run(port_actions.end_action, first.id, ActionState.UNKNOWN, "no answer", at(2))
    assert asked.ended_at is None
    done = run(port_actions.end_action, first.id, ActionState.DONE, "read back", at(3))
    assert (done.state, done.ended_at, done.write.to, done.present) == (
        *(ActionState.DONE, at(3), "down"),
        ("02:1a:01:00:00:01",),
    )
    run(port_actions.end_action, second.id, ActionState.REFUSED, "not writable", at(3))
    assert run(port_actions.unfinished_actions) == []
    assert run(port_actions.closed_since, at(0)) == (1, 0), "what was refused closed nothing"
    page = run(port_actions.actions_page, ActionFilters(states=("done",)), PageAsk(limit=10))
    assert [one.id for one in page.items] == [first.id]
    with pytest.raises(NotFound):
        run(port_actions.get_action, 99)


def test_a_port_is_closed_once_and_reopened_once(database: Database) -> None:
    run = database.run
    closure = Closure(port=PORT, closed_at=at(0), breach="b", reopen_at=at(5))
    run(port_closures.add_closure, closure, 1, "mara", "a stranger", 0)
    run(port_closures.add_closure, closure, 2, "mara", "again", 0)
    (row,) = run(port_closures.open_closures)
    assert (row.action, row.closure.reopen_at, row.why) == (1, at(5), "a stranger")
    run(port_closures.put_off, row.id, at(9))
    run(port_closures.hold_closed, row.id)
    (row,) = run(port_closures.open_closures)
    assert (row.closure.held, row.closure.reopen_at) == (True, None)
    database.run(port_closures.end_closure, PORT, at(10), "", by_timer=True)
    (row,) = run(port_closures.closures_of, PORT, at(-1))
    assert (row.closure.reopened_at, row.closure.by_timer) == (at(10), True)
    assert run(port_closures.open_closures) == [] and run(port_closures.end_open_again) == 0


def test_a_breach_is_proposed_once_each_time_and_decided_on_once(database: Database) -> None:
    run = database.run
    made = run(port_proposals.propose, proposal(), at(0))
    assert made is not None and made.state == "open"
    assert run(port_proposals.propose, proposal(), at(1)) is None
    again = run(port_proposals.propose, proposal(closings=1), at(2))
    assert again is not None, "it came back after the port was closed and opened"
    run(port_proposals.decide, made.id, port_proposals.APPROVED, "mara", at(3))
    with pytest.raises(Conflict, match="approved by mara"):
        run(port_proposals.decide, made.id, port_proposals.REFUSED, "ida", at(4))
    run(port_proposals.give_back, made.id)
    assert run(port_proposals.withdraw_others, ["stranger|y"], at(5)) == 2
    third = run(port_proposals.propose, proposal(closings=2), at(6))
    assert (
        third is not None
        and run(port_proposals.expire, at(59)) == 0
        and run(port_proposals.expire, at(60)) == 1
    )


def test_what_was_done_follows_a_renamed_switch_and_goes_with_time(database: Database) -> None:
    values = {"host": "192.0.2.1", "udp_port": 161, "in_groups": [], "notes": "", "interval_s": 60}
    run = database.run
    run(inventory.add_switch, at(0), name=PORT[0], enabled=True, source="files", **values)
    row = run(port_actions.begin_action, action(), at(0))
    run(port_actions.end_action, row.id, ActionState.DONE, "", at(0))
    run(port_closures.add_closure, Closure(port=PORT, closed_at=at(0)), row.id, "mara", "", 0)
    run(port_actions.note_rehearsed, ["a" * 64], at(0))
    work = PlannedWork(begins_at=at(0), ends_at=at(60), switch=PORT[0])
    run(alert_settings.add_planned_work, work, "another switch", "mara")
    run(inventory.change_switch, at(0), PORT[0], {"name": "quay-one"})
    assert run(port_actions.get_action, row.id).switch == "quay-one"
    assert [one.work.switch for one in run(alert_settings.all_planned_work, at(1))] == ["quay-one"]
    later = at(0) + timedelta(days=2)
    assert run(port_actions.rehearsed, ["a" * 64, "b" * 64]) == {"a" * 64}
    gone = delete_expired(database, readings_before=later, history_before=later).rows
    assert (gone["port_action"], gone["rehearsed_rule"], gone["port_closure"]) == (1, 1, 0)
    assert len(run(port_closures.open_closures)) == 1, "a port that is closed stays in the list"
    run(inventory.remove_switch, run(inventory.get_switch, "quay-one").id, later, ())
    assert run(port_closures.open_closures) == [], "but for one that left with its switch"


def test_closing_by_rules_stops_and_goes_on(database: Database) -> None:
    assert database.run(port_actions.closing_stopped) is None
    database.run(port_actions.stop_closing, at(0), "five within an hour")
    assert database.run(port_actions.closing_stopped) == (at(0), "five within an hour")
    database.run(port_actions.go_on_closing)
    assert database.run(port_actions.closing_stopped) is None
