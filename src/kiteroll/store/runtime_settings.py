"""Settings that people changed while the service ran."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, delete, select
from sqlalchemy.dialects.mysql import insert

from kiteroll.store.tables import runtime_setting


@dataclass(frozen=True, slots=True)
class SettingRow:
    name: str
    value: Any
    set_at: datetime
    set_by: str


def all_settings(connection: Connection) -> dict[str, SettingRow]:
    """By name."""
    rows = connection.execute(select(runtime_setting))
    return {row.name: SettingRow(row.name, row.value, row.set_at, row.set_by) for row in rows}


def set_setting(connection: Connection, row: SettingRow) -> None:
    values = {"value": row.value, "set_at": row.set_at, "set_by": row.set_by[:64]}
    statement = insert(runtime_setting).values(name=row.name, **values)
    connection.execute(statement.on_duplicate_key_update(values))


def reset_setting(connection: Connection, name: str) -> None:
    connection.execute(delete(runtime_setting).where(runtime_setting.c.name == name))
