"""Writes changes: stays that begin, end, go quiet and return, and their log."""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, update
from sqlalchemy.dialects.mysql import insert

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
from kiteroll.core.model.stay import Ending, Place
from kiteroll.store.bulk import chunks, insert_all
from kiteroll.store.tables import change_log, endpoint, stay


def record_changes(
    connection: Connection, switch_id: int, changes: Sequence[Change], ports: Mapping[str, int]
) -> None:
    """Write changes of one switch, a few statements whatever their number. `ports`: name to id."""
    if not changes:
        return
    begun = [change for change in changes if isinstance(change, Appeared | Moved)]
    insert_all(
        connection,
        insert(endpoint).prefix_with("IGNORE"),
        [{"mac": change.mac, "first_seen_at": change.at} for change in begun],
    )
    insert_all(
        connection,
        insert(stay),
        [
            {
                "id": change.stay,
                "mac": change.mac,
                "switch_id": switch_id,
                "port_id": ports[change.place.port],
                "vlan": change.place.vlan or 0,
                "began_at": change.at,
                "resumed_at": change.at,
            }
            for change in begun
        ],
    )
    for values, ids in _updates(changes).items():
        for part in chunks(ids):
            connection.execute(update(stay).where(stay.c.id.in_(part)).values(dict(values)))
    insert_all(
        connection,
        insert(change_log),
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


def _logged(switch_id: int, change: Change, ports: Mapping[str, int]) -> dict[str, Any]:
    row: dict[str, Any] = {
        "at": change.at,
        "kind": KINDS[type(change)].value,
        "switch_id": switch_id,
        "mac": None,
        "vlan": 0,
        "port_id": None,
        "origin_port_id": None,
        "stay_id": None,
        "ending": "",
    }
    if isinstance(change, Restarted):
        return row
    row |= {"mac": change.mac, "stay_id": change.stay} | _at(change.place, ports)
    if isinstance(change, Moved):
        row["origin_port_id"] = ports[change.origin.port]
    if isinstance(change, Gone):
        row["ending"] = change.ending.name
    return row


def _at(place: Place, ports: Mapping[str, int]) -> dict[str, Any]:
    return {"port_id": ports[place.port], "vlan": place.vlan or 0}
