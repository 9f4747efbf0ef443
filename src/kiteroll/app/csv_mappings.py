"""How CSV tables are understood: mappings, by name."""

from collections.abc import Mapping
from typing import Any

from kiteroll.collect.csv_table import TableMapping
from kiteroll.store import csv_mappings
from kiteroll.store.database import Database


class CsvMappings:
    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> Mapping[str, Mapping[str, Any]]:
        return self._database.run(csv_mappings.all_mappings)

    def get(self, name: str) -> Mapping[str, Any]:
        """Raises NotFound."""
        return self._database.run(csv_mappings.get_mapping, name)

    def set(self, name: str, values: Mapping[str, Any]) -> None:
        """Add or replace one. Raises Invalid for what cannot be a mapping."""
        make_mapping(values)
        self._database.run(csv_mappings.save_mapping, name, values)

    def remove(self, name: str) -> None:
        """Raises NotFound."""
        self._database.run(csv_mappings.remove_mapping, name)


def make_mapping(values: Mapping[str, Any]) -> TableMapping:
    return TableMapping(**{**values, "learned": tuple(values.get("learned", ()))})
