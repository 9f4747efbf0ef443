"""Many changes of the inventory in one transaction."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from sqlalchemy import Connection

from kiteroll.core.errors import InvalidParts, KiteRollError
from kiteroll.store import inventory
from kiteroll.store.inventory import SwitchRow


class NothingChanged(Exception):
    """A dry run ends here: what it did is undone."""


def change_all(
    connection: Connection,
    at: datetime,
    added: Sequence[Mapping[str, Any]],
    changed: Mapping[str, Mapping[str, Any]],
    *,
    dry_run: bool,
) -> list[SwitchRow]:
    """Raises InvalidParts naming every switch with which something is wrong; then nothing is changed."""
    rows, problems = [], []
    for values in added:
        try:
            rows.append(inventory.add_switch(connection, at, **values))
        except KiteRollError as wrong:
            problems.append((values["name"], str(wrong)))
    for name, values in changed.items():
        try:
            rows.append(inventory.change_switch(connection, at, name, values))
        except KiteRollError as wrong:
            problems.append((name, str(wrong)))
    if problems:
        raise InvalidParts("nothing was changed", problems)
    if dry_run:
        raise NothingChanged
    return rows
