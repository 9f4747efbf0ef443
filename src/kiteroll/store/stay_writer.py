"""Writes changes: stays that begin, end, go quiet and return, and their log."""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, update

from kiteroll.core.model.changes import (
    KINDS,
    Appeared,
    Awaited,
    Change,
    Gone,
    Moved,
    Quiet,
    Restarted,
    Resumed,
    Returned,
)
from kiteroll.core.model.stay import Ending
from kiteroll.store.bulk import Value, chunks, insert_rows
from kiteroll.store.predicates import one_of
from kiteroll.store.tables import change_log, endpoint, stay


def record_changes(
    connection: Connection, switch_id: int, changes: Sequence[Change], ports: Mapping[str, int]
) -> None:
    """Write changes of one switch, a few statements whatever their number. `ports`: name to id."""
    if not changes:
        return
    # A move begins where a stay ended: that address is known.
    appeared = [change for change in changes if isinstance(change, Appeared)]
    insert_rows(
        connection,
        endpoint,
        ("mac", "first_seen_at"),
        [(change.mac, change.at) for change in appeared],
        unless_known=True,
    )
    insert_rows(
        connection,
        stay,
        ("id", "mac", "switch_id", "port_id", "vlan", "began_at", "resumed_at"),
        [
            (
                change.stay,
                change.mac,
                switch_id,
                ports[change.place.port],
                change.place.vlan or 0,
                change.at,
                change.at,
            )
            for change in changes
            if isinstance(change, Appeared | Moved)
        ],
    )
    for values, ids in _updates(changes).items():
        for part in chunks(ids):
            connection.execute(update(stay).where(one_of(stay.c.id, part)).values(dict(values)))
    insert_rows(
        connection,
        change_log,
        ("at", "kind", "switch_id", "mac", "vlan", "port_id", "origin_port_id", "stay_id", "ending"),
        [_logged(switch_id, change, ports) for change in changes if type(change) in KINDS],
    )


def _updates(changes: Iterable[Change]) -> dict[tuple[tuple[str, Any], ...], list[int]]:
    """Ids of stays by what is to be set in them: most changes of a reading set the same values."""
    found: dict[tuple[tuple[str, Any], ...], list[int]] = defaultdict(list)
    for change in changes:
        match change:
            case Appeared() | Restarted():
                continue
            case Moved():
                ended = _ended(change.last_seen_at, change.at, Ending.MOVED)
                found[ended].append(change.ended)
            case Gone():
                found[_ended(change.last_seen_at, change.at, change.ending)].append(change.stay)
            case Quiet():
                found[("last_seen_at", change.last_seen_at), ("quiet_at", change.at)].append(change.stay)
            case Awaited():
                found[(("last_seen_at", change.last_seen_at),)].append(change.stay)
            case Returned() | Resumed():
                back = (("last_seen_at", None), ("quiet_at", None), ("resumed_at", change.at))
                found[back].append(change.stay)
    return found


def _ended(last_seen_at: datetime, at: datetime, ending: Ending) -> tuple[tuple[str, Any], ...]:
    return (("last_seen_at", last_seen_at), ("ended_at", at), ("ending", ending.name))


def _logged(switch_id: int, change: Change, ports: Mapping[str, int]) -> tuple[Value, ...]:
    kind = KINDS[type(change)].value
    if isinstance(change, Restarted):
        return (change.at, kind, switch_id, None, 0, None, None, None, "")
    place = change.place
    return (
        change.at,
        kind,
        switch_id,
        change.mac,
        place.vlan or 0,
        ports[place.port],
        ports[change.origin.port] if isinstance(change, Moved) else None,
        change.stay,
        change.ending.name if isinstance(change, Gone) else "",
    )
