"""Deletes expired records in small batches."""

from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Table, delete, select

from kiteroll.store.database import Database
from kiteroll.store.tables import change_log, ip_stay, port_link, port_uplink, reading, stay

_AT_ONCE = 5000
"""Rows a transaction: some tens of milliseconds."""


def delete_expired(
    database: Database, *, readings_before: datetime, history_before: datetime
) -> dict[str, int]:
    """Remove tries at reading, and changes and ended stays, that are older. Open stays always stay.

    Returns how many rows went, by table. Raises StorageUnavailable.
    """
    old: tuple[tuple[Table, Any], ...] = (
        (reading, reading.c.taken_at < readings_before),
        (change_log, change_log.c.at < history_before),
        (stay, stay.c.ended_at < history_before),
        (ip_stay, ip_stay.c.ended_at < history_before),
        (port_uplink, port_uplink.c.ended_at < history_before),
        (port_link, port_link.c.at < history_before),
    )
    gone = {}
    for table, condition in old:
        gone[table.name] = 0
        while count := database.run(_drop_some, table, condition):
            gone[table.name] += count
            if count < _AT_ONCE:
                break
    return gone


def _drop_some(connection: Connection, table: Table, condition: Any) -> int:
    ids = connection.execute(select(table.c.id).where(condition).limit(_AT_ONCE)).scalars().all()
    if ids:
        connection.execute(delete(table).where(table.c.id.in_(ids)))
    return len(ids)
