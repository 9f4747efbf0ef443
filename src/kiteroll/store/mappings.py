"""Mappings of CSV tables, by name."""

from collections.abc import Mapping
from typing import Any

from sqlalchemy import Connection, delete, select
from sqlalchemy.dialects.mysql import insert

from kiteroll.core.errors import NotFound
from kiteroll.store.tables import table_mapping


def all_mappings(connection: Connection) -> dict[str, Mapping[str, Any]]:
    query = select(table_mapping.c.name, table_mapping.c.mapping).order_by(table_mapping.c.name)
    return {name: mapping for name, mapping in connection.execute(query)}


def get_mapping(connection: Connection, name: str) -> Mapping[str, Any]:
    query = select(table_mapping.c.mapping).where(table_mapping.c.name == name)
    found: Mapping[str, Any] | None = connection.execute(query).scalar_one_or_none()
    if found is None:
        raise NotFound("mapping", name, "`kiteroll mapping list` shows those there are")
    return found


def keep_mapping(connection: Connection, name: str, mapping: Mapping[str, Any]) -> None:
    """Adds it, or replaces the one of that name."""
    statement = insert(table_mapping).values(name=name, mapping=dict(mapping))
    connection.execute(statement.on_duplicate_key_update(mapping=statement.inserted.mapping))


def remove_mapping(connection: Connection, name: str) -> None:
    get_mapping(connection, name)
    connection.execute(delete(table_mapping).where(table_mapping.c.name == name))
