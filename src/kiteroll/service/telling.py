"""What the live stream says of an attempt: that the switch was read, and each change it brought."""

import json
from collections.abc import Iterator, Sequence
from typing import Any

from kiteroll.collect.rounds import Attempt
from kiteroll.core.changes import KINDS, Change, Moved, Restarted
from kiteroll.core.reading import Reading
from kiteroll.service.hub import Event


def events_of(attempt: Attempt, changes: Sequence[Change]) -> Iterator[Event]:
    told = [change for change in changes if type(change) in KINDS]
    yield Event("reading", json.dumps(_reading(attempt, len(told))))
    for change in told:
        yield Event("change", json.dumps(_change(change)))


def _reading(attempt: Attempt, changes: int) -> dict[str, Any]:
    outcome = attempt.outcome
    said: dict[str, Any] = {"switch": attempt.name, "at": attempt.started_at.isoformat(), "changes": changes}
    if isinstance(outcome, Reading):
        return said | {"outcome": "complete" if outcome.complete else "partial", "rows": len(outcome.learned)}
    return said | {"outcome": "failed", "error": str(outcome)}


def _change(change: Change) -> dict[str, Any]:
    said: dict[str, Any] = {"kind": KINDS[type(change)].value, "at": change.at.isoformat()}
    if isinstance(change, Restarted):
        return said | {"switch": change.switch}
    place = change.place
    said |= {"mac": str(change.mac), "switch": place.switch, "port": place.port, "vlan": place.vlan}
    if isinstance(change, Moved):
        said["from_port"] = change.origin.port
    return said
