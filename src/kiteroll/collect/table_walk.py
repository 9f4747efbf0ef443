"""Reads tables of a switch into what was received of it: walks them whole, or asks for single objects."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from kiteroll.collect.budget import Budget
from kiteroll.collect.column_walk import ColumnWalk
from kiteroll.collect.exchange import ExchangeEnd, ScalarGet
from kiteroll.collect.limits import Limits
from kiteroll.collect.raw import RawSwitch
from kiteroll.collect.snmp_client import Agent
from kiteroll.collect.tables import GROWING, TIME_FILTERED
from kiteroll.collect.time_filter import TimeFilteredWalk
from kiteroll.snmp import ber
from kiteroll.snmp.ber import Oid


@dataclass(frozen=True, slots=True)
class TableWalk:
    """Reads `raw` from `agent`, within what one reading may cost."""

    agent: Agent
    raw: RawSwitch
    limits: Limits
    budget: Budget

    async def walk(self, tables: Mapping[str, Sequence[Oid]]) -> None:
        """Walk tables, or some columns of them, one after another."""
        for table, columns in tables.items():
            kind = TimeFilteredWalk if table in TIME_FILTERED else ColumnWalk
            rows = self.limits.rows if table in GROWING else min(self.limits.rows, self.limits.small_rows)
            walk = kind(columns, self.agent.target.protocol, replace(self.limits, rows=rows))
            ended = await self.agent.hold(walk, self.budget)
            self.raw.columns.update(walk.columns)
            self._note(table, ended, walk.rows)

    async def get(self, table: str, columns: Sequence[Oid], objects: Sequence[Oid]) -> None:
        """Ask for single objects of some columns of a table, all of which have been walked."""
        if not objects:
            return
        get = ScalarGet(objects, self.agent.target.protocol, self.limits)
        ended = await self.agent.hold(get, self.budget)
        for oid, value in get.values.items():
            column = next(column for column in columns if oid[: len(column)] == column)
            self.raw.columns[column][ber.encode_arcs(oid[len(column) :])] = value
        self._note(table, ended, len(get.values))

    def _note(self, table: str, ended: ExchangeEnd, rows: int) -> None:
        """A table that is read in parts ends as the first part that broke off."""
        before = self.raw.ends.get(table)
        if before is None:
            self.raw.ends[table] = (ended, rows)
        elif before[0].complete:
            self.raw.ends[table] = (ended, max(rows, before[1]))
