"""Which tracker has an area: the lease of the database once more, with a row for each area.

A tracker writes of a switch only while the lease of the area is its own and the switch is given to that area
(`switch.tracked_in`, which the service alone sets): both are asked in the transaction that writes.
"""

from dataclasses import dataclass

from sqlalchemy import Connection, inspect, text

from kiteroll.core.errors import Conflict, TrackedElsewhere
from kiteroll.store.database import Database
from kiteroll.store.database_lease import DatabaseLease, LeaseInUse, prepare_leases, shown_holder

_FENCE = text(
    "UPDATE service_lease JOIN switch ON switch.id = :switch AND switch.tracked_in = service_lease.area "
    "SET service_lease.writes = service_lease.writes + 1 "
    "WHERE service_lease.id = :row AND service_lease.holder = :me AND service_lease.epoch = :epoch"
)
_STAYS_OF_ROW = 40
"""Bits: each area numbers its stays in a range of its own. All of them are whole numbers to JSON."""


@dataclass(frozen=True, slots=True)
class AreaLeaseRow:
    area: str
    holder: str
    """Machine and process; empty: nobody has it."""
    epoch: int
    renewals: int


class AreaLease(DatabaseLease):
    """Of one area. Nothing is written with it before `hold`, which gives it its number."""

    def __init__(self, database: Database, area: str) -> None:
        super().__init__(database)
        self.area = area
        self._row = 0

    @property
    def stays(self) -> range:
        """Numbers of stays that are this area's to give."""
        return range(self._row << _STAYS_OF_ROW, (self._row + 1) << _STAYS_OF_ROW)

    def fence(self, connection: Connection, switch: int) -> None:
        """Raises TrackedElsewhere."""
        holding = {"row": self._row, "me": self._me, "epoch": self._epoch or 0, "switch": switch}
        if connection.execute(_FENCE, holding).rowcount != 1:
            raise TrackedElsewhere(f"a switch is not tracked in {self.area} by this tracker any more")

    def _prepare(self, connection: Connection) -> None:
        prepare_leases(connection)
        self._row = _row_of(connection, self.area)

    def _in_use(self, holder: str) -> LeaseInUse:
        return LeaseInUse(f"the area {self.area} is tracked by another one, at {shown_holder(holder)}")


SERVICE_STAYS = range(1, 1 << _STAYS_OF_ROW)
"""Numbers of stays that are the service's."""


def area_leases(connection: Connection) -> list[AreaLeaseRow]:
    """Of every area that a tracker ever had, by name."""
    query = "SELECT area, holder, epoch, renewals FROM service_lease WHERE area <> '' ORDER BY area"
    if not inspect(connection).has_table("service_lease"):
        return []
    return [
        AreaLeaseRow(row.area, shown_holder(row.holder), row.epoch, row.renewals)
        for row in connection.execute(text(query))
    ]


def _row_of(connection: Connection, area: str) -> int:
    """Number of its row, made where there is none. Raises Conflict while another area is given one."""
    making = (
        "INSERT IGNORE INTO service_lease (id, area, holder, epoch, renewals, writes) "
        "SELECT MAX(id) + 1, :area, '', 0, 0, 0 FROM service_lease"
    )
    query = text("SELECT id FROM service_lease WHERE area = :area LOCK IN SHARE MODE")
    if connection.execute(query, {"area": area}).first() is None:
        connection.execute(text(making), {"area": area})
    found = connection.execute(query, {"area": area}).scalar()
    if found is None:
        raise Conflict(f"the area {area} is being given a number: it is tried again")
    return int(found)
