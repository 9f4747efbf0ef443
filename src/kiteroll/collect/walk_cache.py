"""Remembers of a switch what hardly changes between readings, so that less has to be requested."""

from dataclasses import dataclass, field
from datetime import datetime, timedelta

from kiteroll.collect.address_probe import Rows
from kiteroll.collect.exchange import ExchangeEnd
from kiteroll.collect.raw import RawSwitch
from kiteroll.collect.values import number
from kiteroll.snmp import mib
from kiteroll.snmp.ber import Oid

FURTHER_EVERY = timedelta(minutes=10)
"""Names of VLANs, neighbours, model, spanning tree and the like are read again after this."""
OLD_TABLE_EVERY = 10
"""Readings after which a switch whose older table added nothing is asked for it again."""


@dataclass(slots=True)
class WalkCache:
    """Kept by whoever reads a switch again and again. A new one asks for everything."""

    further_at: datetime | None = None
    further_columns: dict[Oid, dict[bytes, tuple[int, bytes]]] = field(default_factory=dict)
    further_ends: dict[str, tuple[ExchangeEnd, int]] = field(default_factory=dict)
    uptime_ticks: int | None = None
    rows: Rows | None = None
    """How its table numbers its rows; None before the first whole reading."""
    skip_old_table: int = 0
    """How many readings more go without the older table."""

    def reuse_further(self, raw: RawSwitch) -> bool:
        """Fill in the further tables as read before; False when they are due, or the switch restarted."""
        ticks = number(raw.scalars.get(mib.SYS_UP_TIME))
        restarted = ticks is None or self.uptime_ticks is None or ticks < self.uptime_ticks
        self.uptime_ticks = ticks
        if restarted or self.further_at is None or raw.taken_at - self.further_at >= FURTHER_EVERY:
            return False
        raw.columns.update(self.further_columns)
        raw.ends.update(self.further_ends)
        return True

    def store_further(self, raw: RawSwitch, tables: dict[str, tuple[Oid, ...]]) -> None:
        """Remember the further tables; those that broke off are asked for again next time."""
        self.further_ends = {table: raw.ends[table] for table in tables}
        self.further_columns = {
            column: raw.columns[column] for columns in tables.values() for column in columns
        }
        whole = all(ended.complete for ended, _ in self.further_ends.values())
        self.further_at = raw.taken_at if whole else None

    def wants_old_table(self, raw: RawSwitch) -> bool:
        """Where the VLAN-aware table is empty, the older one is all there is."""
        if self.skip_old_table == 0 or not raw.column(mib.DOT1Q_TP_FDB_PORT):
            return True
        self.skip_old_table -= 1
        return False

    def old_table_told(self, *, more: bool) -> None:
        """`more`: it had, or may have had, addresses that the VLAN-aware table has not."""
        self.skip_old_table = 0 if more else OLD_TABLE_EVERY
