"""The status of a row is remembered while it stays at its port, and asked for of all others."""

import asyncio
from collections.abc import Mapping, Sequence
from typing import cast

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kiteroll.clock import SystemClock
from kiteroll.collect.address_table import walk_address_table
from kiteroll.collect.budget import Budget
from kiteroll.collect.exchange import ExchangeEnd
from kiteroll.collect.limits import Limits
from kiteroll.collect.raw import RawSwitch
from kiteroll.collect.row_status import RowStatuses
from kiteroll.collect.table_walk import TableWalk
from kiteroll.collect.tables import ADDRESS_TABLES, VLAN_TABLE
from kiteroll.collect.walk_cache import WalkCache
from kiteroll.snmp import ber
from kiteroll.snmp.message import Value
from tests.support.factories import NOON

PORT, STATUS = ADDRESS_TABLES[VLAN_TABLE]
LEARNED, SELF, INVALID = 3, 4, 2


def integer(number: int) -> Value:
    return ber.INTEGER, bytes((number,))


def index(row: int) -> bytes:
    return ber.encode_arcs((10, 2, 26, 0, 0, 0, row))


tables = st.dictionaries(
    st.integers(0, 200).map(index),
    st.tuples(st.integers(1, 3).map(integer), st.sampled_from((1, LEARNED, SELF, 5)).map(integer)),
    max_size=30,
)


@given(before=tables, now=tables)
def test_a_status_is_known_of_a_row_that_is_where_it_was_and_of_no_other(
    before: dict[bytes, tuple[Value, Value]], now: dict[bytes, tuple[Value, Value]]
) -> None:
    remembered = RowStatuses.of(
        {row: port for row, (port, _) in before.items()}, {row: status for row, (_, status) in before.items()}
    )
    assert remembered is not None
    known = remembered.known({row: port for row, (port, _) in now.items()})
    assert known == {row: before[row][1] for row in now if row in before and before[row][0] == now[row][0]}


class Switch:
    """Its table as row to port and status, and what of it was asked for."""

    def __init__(self, rows: dict[int, tuple[int, int]]) -> None:
        self.rows = rows
        self.raw = RawSwitch(switch="quay-1", taken_at=NOON)
        self.budget = Budget(SystemClock(), Limits())
        self.asked: list[object] = []
        self.breaks_off = False

    def read(self, cache: WalkCache) -> list[object]:
        """Read the table, which is right then; returns what it took."""
        self.raw, self.asked = RawSwitch(switch="quay-1", taken_at=NOON), []
        asyncio.run(walk_address_table(cast(TableWalk, self), VLAN_TABLE, cache))
        if not self.breaks_off:
            assert self.raw.columns == {
                PORT: {index(row): integer(port) for row, (port, _) in self.rows.items()},
                STATUS: {index(row): integer(status) for row, (_, status) in self.rows.items()},
            }
        return self.asked

    async def walk(self, tables: Mapping[str, Sequence[ber.Oid]]) -> None:
        for table, columns in tables.items():
            for column in columns:
                of = _at(column)
                self.raw.columns[column] = {
                    index(row): integer(values[of]) for row, values in self.rows.items()
                }
            end = ExchangeEnd("no answer") if self.breaks_off else ExchangeEnd()
            self.raw.ends[table] = (end, len(self.rows))
            self.asked.append([_at(column) for column in columns])

    async def get(self, table: str, columns: Sequence[ber.Oid], objects: Sequence[ber.Oid]) -> None:
        for oid in objects:
            assert oid[: len(STATUS)] == STATUS and table == VLAN_TABLE
            self.raw.columns[STATUS][ber.encode_arcs(oid[len(STATUS) :])] = integer(self.rows[oid[-1]][1])
        self.asked.append([oid[-1] for oid in objects])


def _at(column: ber.Oid) -> int:
    return (PORT, STATUS).index(column)


@pytest.fixture
def switch() -> Switch:
    return Switch({row: (1 + row % 4, SELF if row == 0 else LEARNED) for row in range(40)})


WHOLE, PORTS_ONLY, STATUSES_ONLY = [0, 1], [0], [1]


def test_a_table_in_which_little_changes_is_asked_for_its_ports_alone(switch: Switch) -> None:
    cache = WalkCache()
    assert switch.read(cache) == [WHOLE]
    assert switch.read(cache) == [PORTS_ONLY, []]
    switch.rows[50] = (2, 5)  # configured
    switch.rows[7] = (1, LEARNED)  # moved
    del switch.rows[8]
    assert switch.read(cache) == [PORTS_ONLY, [7, 50]]
    switch.rows[8] = (1, SELF)  # back after it was away
    assert switch.read(cache) == [PORTS_ONLY, [8]]


def test_a_table_in_which_much_changes_is_read_whole(switch: Switch) -> None:
    cache = WalkCache()
    switch.read(cache)
    switch.rows |= dict.fromkeys(range(100, 120), (3, LEARNED))
    assert switch.read(cache) == [PORTS_ONLY, STATUSES_ONLY]
    assert switch.read(cache) == [PORTS_ONLY, []]


def test_nothing_is_remembered_of_a_switch_that_says_by_the_status_what_aged_out(switch: Switch) -> None:
    cache = WalkCache()
    switch.rows[9] = (2, INVALID)
    assert [switch.read(cache), switch.read(cache)] == [[WHOLE], [WHOLE]]


def test_nothing_is_remembered_of_a_table_that_broke_off(switch: Switch) -> None:
    cache = WalkCache()
    switch.breaks_off = True
    switch.read(cache)
    switch.breaks_off = False
    assert switch.read(cache) == [WHOLE]
