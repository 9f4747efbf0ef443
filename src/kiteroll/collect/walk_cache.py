"""Remembers of a switch what hardly changes between readings, so that less has to be requested."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import NamedTuple

from kiteroll.collect.address_probe import Rows
from kiteroll.collect.exchange import ExchangeEnd
from kiteroll.collect.raw import RawSwitch
from kiteroll.collect.row_status import RowStatuses
from kiteroll.collect.values import number
from kiteroll.snmp import mib
from kiteroll.snmp.ber import Oid
from kiteroll.snmp.message import Value

READ_AGAIN_EVERY = timedelta(minutes=10)
"""Names of interfaces and VLANs, statuses of rows, neighbours, model, spanning tree and the like."""
OLD_TABLE_EVERY = 10
"""Readings after which a switch whose older table added nothing is asked for it again."""
_SETTLES_AFTER = timedelta(seconds=90)
"""After a link changed or a switch restarted: three times msgTxInterval (IEEE 802.1AB 9.2.5)."""
_NEIGHBOUR_TABLES = ("lldpLocPortTable", "lldpRemTable", "lldpRemManAddrTable")
_BELIEVED_AFTER = 3
"""Readings in a row in which a table is empty."""


@dataclass(slots=True)
class WalkCache:
    """Kept by whoever reads a switch again and again. A new one asks for everything."""

    interfaces_at: datetime | None = None
    """Of when it is what is remembered of the interfaces; None: read again next time."""
    interface_columns: dict[Oid, dict[bytes, Value]] = field(default_factory=dict)
    statuses: dict[str, RowStatuses] = field(default_factory=dict)
    """By MAC address table."""
    further_at: datetime | None = None
    further_columns: dict[Oid, dict[bytes, Value]] = field(default_factory=dict)
    further_ends: dict[str, tuple[ExchangeEnd, int]] = field(default_factory=dict)
    uptime_ticks: int | None = None
    rows: Rows | None = None
    """How its table numbers its rows; None before the first whole reading."""
    skip_old_table: int = 0
    """How many readings more go without the older table."""
    links: "_Links | None" = None
    """What shows that a link changed, as of the last reading."""
    unsettled_until: datetime | None = None
    """Neighbours may not have announced themselves again before."""
    restarted_at: datetime | None = None
    reported: dict[str, int] = field(default_factory=dict)
    """Tables that had rows, and how often in a row they came back empty since."""

    def lost(self, table: str, rows: int) -> bool:
        """Whether a table that had rows came back empty: a busy switch may answer so, and what rests on the
        table is not known then. After some readings it counts as so."""
        if rows:
            self.reported[table] = 0
        elif table in self.reported:
            self.reported[table] += 1
            if self.reported[table] < _BELIEVED_AFTER:
                return True
            del self.reported[table]
        return False

    def reuse_interfaces(self, raw: RawSwitch) -> bool:
        """Fill in what the interfaces are, as read before; False when that is due, when the switch restarted
        or has other interfaces. The statuses of rows are forgotten with it."""
        if self._may_have_others(raw) or _is_due(self.interfaces_at, raw):
            self.interfaces_at = None
            self.statuses.clear()
            return False
        raw.columns.update(self.interface_columns)
        return True

    def _may_have_others(self, raw: RawSwitch) -> bool:
        """Note what its links did since the last reading; whether its interfaces may be others now."""
        ticks = number(raw.scalars.get(mib.SYS_UP_TIME))
        restarted = ticks is None or self.uptime_ticks is None or ticks < self.uptime_ticks
        before, links = self.links, _links(raw)
        if restarted or links != before:
            self.unsettled_until = raw.taken_at + _SETTLES_AFTER
        if restarted:
            self.restarted_at = raw.taken_at
        self.uptime_ticks, self.links = ticks, links
        return restarted or before is None or before.oper.keys() != links.oper.keys()

    def store_interfaces(self, raw: RawSwitch, tables: Mapping[str, Sequence[Oid]]) -> None:
        """Remember what the interfaces are, where that was read to the end."""
        if not any(raw.broke(table) for table in tables):
            self.interface_columns = _columns(raw, tables)
            self.interfaces_at = raw.taken_at

    def reuse_further(self, raw: RawSwitch) -> bool:
        """Fill in the further tables as read before; False when they are due, when a link changed lately, or
        the switch restarted: neighbours and what spanning tree says of ports may be others then."""
        if self.unsettled_until is not None and raw.taken_at <= self.unsettled_until:
            return False
        if _is_due(self.further_at, raw):
            return False
        raw.columns.update(self.further_columns)
        raw.ends.update(self.further_ends)
        return True

    def request_everything(self) -> None:
        """A person wants it read."""
        self.interfaces_at = self.further_at = None
        self.skip_old_table = 0

    def store_further(self, raw: RawSwitch, tables: Mapping[str, Sequence[Oid]]) -> None:
        """Remember the further tables; those that broke off are asked for again next time. Neighbours that
        have not announced themselves again since the switch restarted stay as they were for a while, and so
        do all of them when none is reported any more: agents leave slow parts out of their answers."""
        kept = False
        filling_up = self.restarted_at is not None and raw.taken_at - self.restarted_at <= _SETTLES_AFTER
        for table in _NEIGHBOUR_TABLES:
            lost = self.lost(table, max(len(raw.column(column)) for column in tables[table]))
            if lost:
                self.unsettled_until = raw.taken_at + READ_AGAIN_EVERY  # they may be back with any reading
            for column in tables[table] if lost or filling_up else ():
                before = self.further_columns.get(column, {})
                if len(raw.column(column)) < len(before):
                    raw.columns[column] = {**before, **raw.column(column)}
                    kept = True
        self.further_ends = {table: raw.ends[table] for table in tables}
        self.further_columns = _columns(raw, tables)
        whole = all(ended.complete for ended, _ in self.further_ends.values())
        self.further_at = raw.taken_at if whole and not kept else None

    def wants_old_table(self, raw: RawSwitch) -> bool:
        """Where the VLAN-aware table is empty, the older one is all there is."""
        if self.skip_old_table == 0 or not raw.column(mib.DOT1Q_TP_FDB_PORT):
            return True
        self.skip_old_table -= 1
        return False

    def old_table_reported(self, *, more: bool) -> None:
        """`more`: it had, or may have had, addresses that the VLAN-aware table has not."""
        self.skip_old_table = 0 if more else OLD_TABLE_EVERY


class _Links(NamedTuple):
    """Of every port, by ifIndex."""

    changed: Mapping[bytes, Value]
    oper: Mapping[bytes, Value]
    topology_changes: int | None


def _links(raw: RawSwitch) -> _Links:
    return _Links(
        raw.column(mib.IF_LAST_CHANGE),
        raw.column(mib.IF_OPER_STATUS),
        number(raw.scalars.get(mib.DOT1D_STP_TOP_CHANGES)),
    )


def _columns(raw: RawSwitch, tables: Mapping[str, Sequence[Oid]]) -> dict[Oid, dict[bytes, Value]]:
    return {column: raw.columns[column] for columns in tables.values() for column in columns}


def _is_due(read_at: datetime | None, raw: RawSwitch) -> bool:
    return read_at is None or raw.taken_at - read_at >= READ_AGAIN_EVERY
