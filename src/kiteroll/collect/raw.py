"""A switch's answers as received, not yet interpreted."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from kiteroll.collect.exchange import ExchangeEnd
from kiteroll.snmp.ber import Oid
from kiteroll.snmp.message import Value


@dataclass(slots=True, kw_only=True)
class RawSwitch:
    switch: str
    taken_at: datetime
    duration: timedelta = timedelta(0)
    scalars: dict[Oid, Value] = field(default_factory=dict)
    columns: dict[Oid, dict[bytes, Value]] = field(default_factory=dict)
    """Column to its rows by encoded index; a column that was not asked for is absent."""
    ends: dict[str, tuple[ExchangeEnd, int]] = field(default_factory=dict)
    """How each table's walk ended, by table name, and after how many rows."""

    views: dict[int, "RawSwitch"] = field(default_factory=dict)
    """By VLAN, on switches that offer their table one VLAN at a time."""

    def column(self, oid: Oid) -> Mapping[bytes, Value]:
        return self.columns.get(oid, {})

    def broke(self, table: str) -> bool:
        """Whether the walk of this table was begun and not finished."""
        ended = self.ends.get(table)
        return ended is not None and not ended[0].complete
