"""Acting on ports: what speaks against it, when a port opens again, what rules do, what would suit."""

from datetime import timedelta
from ipaddress import ip_network

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kiteroll.core.errors import Invalid
from kiteroll.core.findings.finding import Cause, Finding, FindingKind, Severity, State, Subject
from kiteroll.core.policy.port_rules import STAYS_CLOSED, OnBreach, Rule
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.port_actions.actions import ActionKind, ActionState, ObjectWrite, Wanted, read_back
from kiteroll.core.port_actions.ageing_advice import Advice, AgeingFacts, advise
from kiteroll.core.port_actions.breaches import Consequence, fingerprint, may_close, steps
from kiteroll.core.port_actions.closures import Closure, due, reopening, still_to_act
from kiteroll.core.port_actions.guards import Guard, Limits, PortFacts, not_overridden, objections
from kiteroll.core.port_actions.sweep import MOST_ADDRESSES, addresses_to_ask
from kiteroll.core.topology.roles import PortRole, Role
from tests.support.factories import at, mac, rule_book

PORT = ("quay-1", "p17")
MINUTE = timedelta(minutes=1)
READ = {"complete_at": at(0), "interval": MINUTE}


@pytest.mark.parametrize(
    ("facts", "guard", "about"),
    [
        ({"role": PortRole(Role.UPLINK, adjacent=("core-1",))}, Guard.UPLINK, "core-1"),
        ({"bundled": True}, Guard.BUNDLE, ""),
        ({"role": PortRole(Role.ACCESS, beyond="desk switch")}, Guard.BRIDGE, "desk switch"),
        ({"router": "gate-1"}, Guard.ROUTER, "gate-1"),
        (
            {"vital": {str(mac(1)): "this service"}},
            Guard.WAY_TO_SERVICE,
            "this service (02:1a:01:00:00:01)",
        ),
        ({"closed_lately": 20}, Guard.MANY_PORTS, "20 of 20"),
        ({"closed_here": 3, "ports_in_use": 12}, Guard.SHARE_OF_SWITCH, "3 of 12"),
        ({"complete_at": at(-4)}, Guard.OLD_DATA, at(-4).isoformat()),
        ({"complete_at": None}, Guard.OLD_DATA, ""),
    ],
)
def test_each_guard_keeps_a_port_from_being_closed(
    facts: dict[str, object], guard: Guard, about: str
) -> None:
    known = PortFacts(**{**READ, **facts})  # type: ignore[arg-type]
    (found,) = objections(ActionKind.CLOSE, known, Limits(), at(0))
    assert (found.guard, found.about) == (guard, about)
    assert not_overridden([found], {guard}) == []
    assert not_overridden([found], set()) == [found]
    with pytest.raises(Invalid, match="does not object"):
        not_overridden([], {guard})


def test_nothing_speaks_against_an_access_port_nor_against_opening_one() -> None:
    plain = PortFacts(**READ, ports_in_use=2)  # type: ignore[arg-type]
    assert objections(ActionKind.CLOSE, plain, Limits(), at(3)) == []
    uplink = PortFacts(**READ, role=PortRole(Role.UPLINK), closed_lately=99)  # type: ignore[arg-type]
    assert objections(ActionKind.REOPEN, uplink, Limits(), at(0)) == []
    old = PortFacts(complete_at=at(-10), interval=MINUTE)
    assert [one.guard for one in objections(ActionKind.REOPEN, old, Limits(), at(0))] == [Guard.OLD_DATA]
    assert objections(ActionKind.ALIAS, old, Limits(), at(0)) == []


@pytest.mark.parametrize(
    ("kind", "port", "value", "why"),
    [
        (ActionKind.CLOSE, "", "", "name a port"),
        (ActionKind.AGEING_TIME, "p1", "300", "it is of no port"),
        (ActionKind.ALIAS, "p1", "x" * 65, "at most 64 octets"),
        (ActionKind.ALIAS, "p1", "é" * 33, "at most 64 octets"),
        (ActionKind.ALIAS, "p1", "a\nb", "printable"),
        (ActionKind.AGEING_TIME, "", "9", "10 to 1000000"),
        (ActionKind.AGEING_TIME, "", "1000001", "10 to 1000000"),
        (ActionKind.AGEING_TIME, "", "5m", "10 to 1000000"),
    ],
)
def test_what_the_standard_does_not_allow_is_not_asked_for(
    kind: ActionKind, port: str, value: str, why: str
) -> None:
    with pytest.raises(Invalid, match=why):
        Wanted(kind=kind, switch="quay-1", port=port, value=value)


def test_an_action_is_what_the_switch_says_afterwards() -> None:
    write = ObjectWrite("ifAdminStatus.17", "up", "down")
    assert read_back(write, "down") is ActionState.DONE
    assert read_back(write, "up") is ActionState.NOT_DONE
    assert read_back(write, None) is ActionState.UNKNOWN
    assert not ActionState.UNKNOWN.over and ActionState.REFUSED.over


def closed(
    minutes: float, *, reopened: float | None = None, by_timer: bool = True, breach: str = "b"
) -> Closure:
    return Closure(
        port=PORT,
        closed_at=at(minutes),
        breach=breach,
        reopened_at=None if reopened is None else at(reopened),
        by_timer=by_timer,
    )


def test_a_port_whose_breach_comes_back_is_held_closed_at_last() -> None:
    first, second = closed(0, reopened=5), closed(10, reopened=15)
    assert reopening([], "b", 5 * MINUTE, 2, at(0)).at == at(5)
    assert reopening([first], "b", 5 * MINUTE, 2, at(10)).at == at(15)
    held = reopening([second, first], "b", 5 * MINUTE, 2, at(20))
    assert (held.at, held.held, held.came_back) == (None, True, 2)
    other = reopening([second, first], "another breach", 5 * MINUTE, 2, at(20))
    assert (other.at, other.held) == (at(25), False)
    by_hand = [closed(0, reopened=5, by_timer=False), closed(6, reopened=7, by_timer=False)]
    assert not reopening(by_hand, "b", 5 * MINUTE, 1, at(10)).held, "a person opened it"
    assert not reopening([first], "b", 5 * MINUTE, 1, at(5 + 25 * 60)).held, "that was yesterday"
    assert reopening([first], "b", STAYS_CLOSED, 2, at(10)).at is None


@given(st.lists(st.booleans(), max_size=8), st.integers(0, 4))
def test_the_timer_opens_a_port_no_more_often_than_it_may(timers: list[bool], times: int) -> None:
    """However people and the timer take turns, within a day."""
    earlier: list[Closure] = []
    for turn, by_timer in enumerate(timers):
        again = reopening(earlier, "b", MINUTE, times, at(10 * turn))
        assert again.held == (again.came_back >= times)
        by_timer = by_timer and again.at is not None
        earlier.append(closed(10 * turn, reopened=10 * turn + 5, by_timer=by_timer))
    assert sum(one.by_timer for one in earlier) <= times


def test_what_is_due_is_opened_and_a_breach_seen_before_that_is_no_reason_to_close_again() -> None:
    waits = Closure(port=PORT, closed_at=at(0), reopen_at=at(5))
    late = Closure(port=("quay-2", "p1"), closed_at=at(0), reopen_at=at(3))
    held = Closure(port=("quay-3", "p1"), closed_at=at(0))
    assert due([waits, late, held], at(4)) == [late]
    assert due([waits, late, held], at(5)) == [late, waits]
    assert still_to_act([], at(0)) and not still_to_act([closed(0)], at(1))
    assert not still_to_act([closed(0, reopened=5)], at(4)) and still_to_act([closed(0, reopened=5)], at(6))


def stranger(state: State = State.OPEN, kind: FindingKind = FindingKind.STRANGER) -> Finding:
    return Finding(
        kind=kind,
        subject=Subject(mac=mac(1), switch=PORT[0], port=PORT[1]),
        severity=Severity.WARNING,
        cause=Cause.NOT_ENROLLED,
        state=state,
        evidence=(),
        count=1,
        first_at=at(0),
        opened_at=at(0),
        last_at=at(0),
        ports=frozenset({PORT}),
    )


def watched(on_breach: OnBreach, seats: int = 1) -> RuleBook:
    rule = Rule(watched=True, seats=seats, on_breach=on_breach, reopen_after=5 * MINUTE)
    return rule_book(switches={"quay-1": rule})


def test_a_rule_closes_only_as_it_was_rehearsed() -> None:
    closes = watched(OnBreach.CLOSE)
    known = {fingerprint("quay-1", closes.rule(PORT))}

    def consequences(book: RuleBook, finding: Finding, rehearsed: set[str]) -> list[Consequence]:
        return [one.consequence for one in steps(finding, book, rehearsed)]

    assert consequences(closes, stranger(), known) == [Consequence.CLOSE]
    assert consequences(closes, stranger(), set()) == [Consequence.PROPOSE_NOT_REHEARSED]
    tighter = watched(OnBreach.CLOSE, seats=0)
    assert consequences(tighter, stranger(), known) == [Consequence.PROPOSE_NOT_REHEARSED]
    assert consequences(watched(OnBreach.PROPOSE), stranger(), set()) == [Consequence.PROPOSE]
    assert consequences(watched(OnBreach.SERIOUS), stranger(), known) == []
    assert consequences(closes, stranger(State.CLEARED), known) == []
    assert consequences(closes, stranger(kind=FindingKind.LOOP), known) == []
    assert fingerprint("quay-2", closes.rule(PORT)) not in known, "rehearsed at one switch is not at another"


def test_rules_close_so_many_and_then_stop() -> None:
    assert may_close(4, 5, None) and not may_close(5, 5, None) and not may_close(0, 5, at(0))


def test_only_hosts_of_listed_networks_are_asked() -> None:
    allowed = [ip_network("10.20.0.0/16"), ip_network("fd00::/64")]
    assert addresses_to_ask(["10.20.1.0/30", "10.20.1.1"], allowed) == ["10.20.1.1", "10.20.1.2"]
    assert addresses_to_ask(["10.20.1.9", "fd00::1"], allowed) == ["10.20.1.9", "fd00::1"]
    for asked, why in (
        (["10.21.0.0/30"], "outside acting.ask_networks"),
        (["10.0.0.0/8"], "outside acting.ask_networks"),
        (["nonsense"], "is no network"),
        (["10.20.0.0/16"], "at most"),
        (["fd00::/64"], "at most"),
        ([f"10.20.{n}.0/24" for n in range(17)], f"at most {MOST_ADDRESSES}"),
    ):
        with pytest.raises(Invalid, match=why):
            addresses_to_ask(asked, allowed)
    with pytest.raises(Invalid, match="no network may be asked"):
        addresses_to_ask(["10.20.0.1"], [])


@pytest.mark.parametrize(
    ("facts", "advice", "seconds"),
    [
        ({}, Advice.KEEP, None),
        ({"silences": [timedelta(minutes=n) for n in range(1, 11)]}, Advice.LONGER, 900),
        ({"present": 90, "ageing": timedelta(seconds=3600)}, Advice.SHORTER, 300),
        ({"present": 90}, Advice.SHORTER, 150),
        ({"discards": 4}, Advice.SHORTER, 150),
        ({"present": 90, "silences": [MINUTE] * 10}, Advice.LARGER_TABLE, None),
        ({"endpoints": 0, "table_size": None, "ageing": None}, Advice.KEEP, None),
    ],
)
def test_advice_on_the_ageing_time(facts: dict[str, object], advice: Advice, seconds: int | None) -> None:
    usual: dict[str, object] = {
        "ageing": timedelta(seconds=300),
        "present": 10,
        "table_size": 100,
        "discards": 0,
        "endpoints": 40,
        "silences": (),
    }
    found = advise(AgeingFacts(**{**usual, **facts}))  # type: ignore[arg-type]
    assert (found.advice, found.seconds) == (advice, seconds)
