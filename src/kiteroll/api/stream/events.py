"""Turns events of the application into events of the live stream."""

import json
from collections.abc import Iterator, Sequence
from typing import Any

from kiteroll.api.stream.broadcaster import EventBroadcaster, StreamEvent
from kiteroll.app.events import (
    AddressProbed,
    EventBus,
    FindingChanged,
    ReadingFailed,
    ReadingStored,
    RulesChanged,
)
from kiteroll.core.model.changes import KINDS, Change, Moved, Restarted
from kiteroll.wording.findings import title


def connect(bus: EventBus, broadcaster: EventBroadcaster) -> None:
    """Put readings, changes, findings and changes of rules on the live stream."""
    bus.subscribe(ReadingStored, lambda event: broadcaster.publish(_reading_events(event)))
    bus.subscribe(ReadingFailed, lambda event: broadcaster.publish([_failure_event(event)]))
    bus.subscribe(AddressProbed, lambda event: broadcaster.publish(_change_events(event.changes)))
    bus.subscribe(RulesChanged, lambda event: broadcaster.publish([_event("rules")]))
    bus.subscribe(FindingChanged, lambda event: broadcaster.publish([_finding_event(event)]))


def _reading_events(event: ReadingStored) -> Iterator[StreamEvent]:
    reading = event.reading
    yield _event(
        "reading",
        switch=event.switch,
        at=reading.taken_at.isoformat(),
        changes=event.change_count,
        outcome="complete" if reading.complete else "partial",
        rows=len(reading.learned),
    )
    yield from _change_events(event.changes)


def _failure_event(event: ReadingFailed) -> StreamEvent:
    return _event(
        "reading",
        switch=event.switch,
        at=event.at.isoformat(),
        changes=0,
        outcome="failed",
        error=event.error,
    )


def _change_events(changes: Sequence[Change]) -> Iterator[StreamEvent]:
    return (_change_event(change) for change in changes if type(change) in KINDS)


def _change_event(change: Change) -> StreamEvent:
    said: dict[str, Any] = {"kind": KINDS[type(change)].value, "at": change.at.isoformat()}
    if isinstance(change, Restarted):
        return _event("change", **said, switch=change.switch)
    place = change.place
    said |= {"mac": str(change.mac), "switch": place.switch, "port": place.port, "vlan": place.vlan}
    if isinstance(change, Moved):
        said["from_port"] = change.origin.port
    return _event("change", **said)


def _finding_event(event: FindingChanged) -> StreamEvent:
    one = event.finding
    return _event("finding", kind=one.kind.value, state=one.state.value, title=title(one))


def _event(name: str, **said: Any) -> StreamEvent:
    return StreamEvent(name, json.dumps(said))
