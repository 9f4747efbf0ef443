"""Walks against agents that are lists of replies: what a walk asks, takes, and when it gives up."""

import asyncio
from collections.abc import Callable, Sequence

import pytest

from kiteroll.clock import SystemClock
from kiteroll.collect.budget import Budget
from kiteroll.collect.column_walk import ColumnWalk
from kiteroll.collect.exchange import Exchange, ExchangeEnd, ScalarGet, SnmpRequest
from kiteroll.collect.limits import Limits
from kiteroll.collect.time_filter import TimeFilteredWalk
from kiteroll.snmp import ber
from kiteroll.snmp.message import V1, V2C, Binding, ErrorStatus, Pdu, PduType
from tests.support.clock import ManualClock

LIMITS = Limits(tries=3, rows=1000, bindings=12)
PORT, STATUS = (1, 3, 6, 1, 9, 2), (1, 3, 6, 1, 9, 3)
END = (1, 3, 6, 1, 10, 1, 1)


def _binding(oid: ber.Oid, value: int = 3, tag: int = ber.INTEGER) -> Binding:
    return ber.encode_oid(oid), (tag, bytes((value,)) if tag == ber.INTEGER else b"")


def _reply(*bindings: Binding, error: int = 0, index: int = 0) -> Pdu:
    return Pdu(PduType.RESPONSE, 1, error, index, list(bindings))


def _agent(objects: Sequence[ber.Oid]) -> Callable[[SnmpRequest], Pdu]:
    """A truthful agent with these objects."""
    ordered = sorted(objects)

    def answer(ask: SnmpRequest) -> Pdu:
        rows = []
        asked = [ber.decode_oid(oid) for oid in ask.oids]
        for _ in range(max(1, ask.repetitions)):
            for at, oid in enumerate(asked):
                following = next((other for other in ordered if other > oid), None)
                rows.append(
                    _binding(oid, tag=ber.END_OF_MIB_VIEW) if following is None else _binding(following)
                )
                asked[at] = following or oid
        return _reply(*rows)

    return answer


def _run(exchange: Exchange, agent: Callable[[SnmpRequest], Pdu | None], most: int = 500) -> ExchangeEnd:
    for _ in range(most):
        step = exchange.next()
        if isinstance(step, ExchangeEnd):
            return step
        reply = agent(step)
        exchange.on_silence() if reply is None else exchange.on_reply(reply)
    raise AssertionError("the walk does not end")


@pytest.mark.parametrize("version", [V1, V2C])
def test_columns_are_walked_side_by_side_and_end_where_their_table_ends(version: int) -> None:
    objects = [(*PORT, row) for row in range(1, 30)] + [(*STATUS, row) for row in range(1, 20)] + [END]
    walk = ColumnWalk([PORT, STATUS], version, LIMITS)
    assert _run(walk, _agent(objects)).complete
    assert (len(walk.columns[PORT]), len(walk.columns[STATUS])) == (29, 19)


def test_a_table_at_the_very_end_of_the_agent_is_complete() -> None:
    walk = ColumnWalk([PORT], V2C, LIMITS)
    assert _run(walk, _agent([(*PORT, 1)])).complete
    assert walk.rows == 1


def test_an_empty_table_is_complete_too() -> None:
    walk = ColumnWalk([PORT, STATUS], V2C, LIMITS)
    assert _run(walk, _agent([END])).complete and walk.rows == 0


def test_silence_is_tried_again_for_less_and_then_given_up() -> None:
    asked: list[SnmpRequest] = []
    walk = ColumnWalk([PORT], V2C, LIMITS)
    ended = _run(walk, lambda ask: asked.append(ask))  # type: ignore[arg-type,return-value]
    assert ended.silent and "no answer to 3 tries" in ended.why
    assert [ask.repetitions for ask in asked] == [12, 6, 3]
    assert asked[0].timeout_s < asked[1].timeout_s < asked[2].timeout_s


def test_a_walk_that_breaks_off_keeps_the_rows_it_has() -> None:
    truthful = _agent([(*PORT, row) for row in range(1, 100)])
    answers = iter([True, True])
    walk = ColumnWalk([PORT], V2C, LIMITS)
    ended = _run(walk, lambda ask: truthful(ask) if next(answers, False) else None)
    assert not ended.complete and walk.rows == 24


def test_an_answer_too_big_is_asked_for_in_smaller_parts_without_losing_rows() -> None:
    truthful = _agent([(*column, row) for column in (PORT, STATUS) for row in range(1, 40)] + [END])

    def agent(ask: SnmpRequest) -> Pdu:
        if len(ask.oids) * ask.repetitions > 1:
            return _reply(error=ErrorStatus.TOO_BIG)
        return truthful(ask)

    walk = ColumnWalk([PORT, STATUS], V2C, LIMITS)
    assert _run(walk, agent).complete and walk.rows == 39


def test_an_agent_that_repeats_itself_is_left() -> None:
    walk = ColumnWalk([PORT], V2C, LIMITS)
    ended = _run(walk, lambda ask: _reply(_binding((*PORT, 5)), _binding((*PORT, 6))))
    assert "do not advance" in ended.why and walk.rows == 2


def test_an_agent_that_never_ends_is_left_at_the_limit_of_rows() -> None:
    walk = ColumnWalk([PORT], V2C, LIMITS)

    def agent(ask: SnmpRequest) -> Pdu:
        start = ber.decode_oid(ask.oids[0])
        last = start[-1] if len(start) > len(PORT) else 0
        return _reply(*(_binding((*PORT, last + row)) for row in range(1, 13)))

    ended = _run(walk, agent)
    assert "more than 1000 rows" in ended.why


@pytest.mark.parametrize(
    "odd",
    [
        _reply(),
        _reply(error=ErrorStatus.GEN_ERR),
        _reply(error=77),
        _reply(_binding((*PORT, 1), tag=ber.NO_SUCH_INSTANCE)),
    ],
)
def test_an_odd_answer_ends_the_walk_with_a_reason(odd: Pdu) -> None:
    assert _run(ColumnWalk([PORT], V2C, LIMITS), lambda ask: odd).why


def test_a_time_filtered_table_is_walked_once_however_often_it_is_offered() -> None:
    checkpoint = [(*PORT, mark, vlan) for mark in range(0, 500) for vlan in (10, 20, 30)]
    walk = TimeFilteredWalk([PORT], V2C, LIMITS)
    assert _run(walk, _agent(checkpoint)).complete
    assert {ber.decode_arcs(index)[1] for index in walk.columns[PORT]} == {10, 20, 30}
    assert walk.rows == 3


def test_scalars_that_are_absent_are_left_out_in_both_versions() -> None:
    has, lacks = (1, 3, 1, 0), (1, 3, 2, 0)
    two = ScalarGet([has, lacks], V2C, LIMITS)
    _run(two, lambda ask: _reply(_binding(has, 7), _binding(lacks, tag=ber.NO_SUCH_OBJECT)))
    one = ScalarGet([lacks, has], V1, LIMITS)
    _run(
        one,
        lambda ask: (
            _reply(_binding(has, 7))
            if len(ask.oids) == 1
            else _reply(error=ErrorStatus.NO_SUCH_NAME, index=1)
        ),
    )
    assert two.values == one.values == {has: (ber.INTEGER, b"\x07")}


@pytest.mark.parametrize(
    "answer",
    [
        lambda ask: _reply(*((oid, (ber.INTEGER, b"\x01")) for oid in ask.oids)),
        lambda ask: _reply(_binding((1, 3, 6, 1, 2, 1))),
        lambda ask: _reply(*(_binding((*PORT, row)) for row in range(1, 200))),
        lambda ask: _reply((ber.encode_oid(PORT) + b"\x8f\xff\xff\xff\xff\x7f", (ber.INTEGER, b"\x01"))),
    ],
    ids=["echoes what was asked", "goes back before the table", "more than asked", "an arc of 42 bits"],
)
def test_what_cannot_be_an_answer_is_no_complete_table(answer: Callable[[SnmpRequest], Pdu]) -> None:
    assert _run(ColumnWalk([PORT], V2C, LIMITS), answer).why


def test_a_time_filtered_table_that_never_repeats_ends_at_its_limit_of_rows() -> None:
    rows = [(*PORT, mark, mark) for mark in range(5000)]
    walk = TimeFilteredWalk([PORT], V2C, LIMITS)
    assert "more than 1000 rows" in _run(walk, _agent(rows)).why


def test_a_budget_of_octets_ends_a_reading() -> None:
    clock = ManualClock()
    budget = Budget(clock, Limits(octets=1 << 20, total_s=5))
    budget.received((1 << 20) - 1)
    assert budget.used_up() == ""
    budget.received(1)
    assert "larger than 1 MiB" in budget.used_up()
    clock.advance(6)
    assert "time for this switch" in budget.used_up()


def test_waiting_for_a_turn_is_bounded_and_not_counted() -> None:
    async def run() -> tuple[bool, bool, float]:
        clock = SystemClock()
        budget = Budget(clock, Limits(total_s=0.2))
        never = asyncio.get_running_loop().create_future()
        gave_up = await budget.turn(never)
        return gave_up, await budget.turn(asyncio.sleep(0)), budget.seconds_left

    gave_up, came, left = asyncio.run(run())
    assert (gave_up, came) == (False, True) and left > 0.1
