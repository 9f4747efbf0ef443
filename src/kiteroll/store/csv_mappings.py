"""Mappings of CSV tables, by name."""

from collections.abc import Mapping
from typing import Any

from sqlalchemy import Connection, delete, select
from sqlalchemy.dialects.mysql import insert

from kiteroll.core.model.nearest import no_such
from kiteroll.store.tables import csv_mapping


def all_mappings(connection: Connection) -> dict[str, Mapping[str, Any]]:
    query = select(csv_mapping.c.name, csv_mapping.c.mapping).order_by(csv_mapping.c.name)
    return {name: mapping for name, mapping in connection.execute(query)}


def get_mapping(connection: Connection, name: str) -> Mapping[str, Any]:
    query = select(csv_mapping.c.mapping).where(csv_mapping.c.name == name)
    found: Mapping[str, Any] | None = connection.execute(query).scalar_one_or_none()
    if found is None:
        raise no_such("mapping", name, all_mappings(connection))
    return found


def save_mapping(connection: Connection, name: str, mapping: Mapping[str, Any]) -> None:
    """Adds it, or replaces the one of that name."""
    statement = insert(csv_mapping).values(name=name, mapping=dict(mapping))
    connection.execute(statement.on_duplicate_key_update(mapping=statement.inserted.mapping))


def remove_mapping(connection: Connection, name: str) -> None:
    get_mapping(connection, name)
    connection.execute(delete(csv_mapping).where(csv_mapping.c.name == name))
