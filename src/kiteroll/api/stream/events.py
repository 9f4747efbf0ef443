"""Turns events of the application into events of the live stream."""

from collections.abc import Callable, Iterator, Sequence

from kiteroll.api.stream.broadcaster import EventBroadcaster
from kiteroll.app.events import (
    AddressProbed,
    AuditAppended,
    EndpointsForgotten,
    EventBus,
    FindingChanged,
    ReadingFailed,
    ReadingStored,
    RulesChanged,
)
from kiteroll.app.serving.sent_event import FORGOTTEN, PROBED, STORED
from kiteroll.app.trackers.reports import PortNames, report_text
from kiteroll.core.model.changes import KINDS, Change, Moved, Restarted
from kiteroll.core.model.port_ref import PortRef
from kiteroll.schemas.stream import ChangeEvent, FindingEvent, ReadingEvent, RulesEvent
from kiteroll.wording.finding_titles import title

IsUplink = Callable[[PortRef], bool]


def connect(bus: EventBus, broadcaster: EventBroadcaster, is_uplink: IsUplink) -> None:
    """Put readings, changes, findings and changes of rules on the live stream."""
    publish = broadcaster.publish
    ports = PortNames()

    def publish_to_nodes(event: ReadingStored) -> None:
        in_short = ports.in_short(event)
        if broadcaster.has_nodes:
            broadcaster.publish_to_nodes(STORED, event.switch, report_text(in_short))

    bus.subscribe(ReadingStored, publish_to_nodes)
    bus.subscribe(ReadingStored, lambda event: publish(_reading_events(event, is_uplink)))
    bus.subscribe(ReadingFailed, lambda event: publish([_failure_event(event)]))
    bus.subscribe(AddressProbed, lambda event: publish(_change_events(event.changes, is_uplink)))
    bus.subscribe(AddressProbed, lambda event: broadcaster.publish_to_nodes(PROBED, event.switch, ""))
    bus.subscribe(RulesChanged, lambda event: publish([RulesEvent()]))
    bus.subscribe(AuditAppended, lambda event: broadcaster.publish_action(event.row.action))
    bus.subscribe(EndpointsForgotten, lambda event: broadcaster.publish_action(FORGOTTEN))
    bus.subscribe(FindingChanged, lambda event: publish([_finding_event(event)]))


def _reading_events(event: ReadingStored, is_uplink: IsUplink) -> Iterator[ReadingEvent | ChangeEvent]:
    reading = event.summary
    yield ReadingEvent(
        switch=event.switch,
        at=reading.taken_at,
        changes=event.change_count,
        outcome="complete" if reading.complete else "partial",
        rows=reading.learned,
        error="",
    )
    yield from _change_events(event.changes, is_uplink)


def _failure_event(event: ReadingFailed) -> ReadingEvent:
    return ReadingEvent(
        switch=event.switch, at=event.at, changes=0, outcome="failed", rows=None, error=event.error
    )


def _change_events(changes: Sequence[Change], is_uplink: IsUplink) -> Iterator[ChangeEvent]:
    return (_change_event(change, is_uplink) for change in changes if type(change) in KINDS)


def _change_event(change: Change, is_uplink: IsUplink) -> ChangeEvent:
    kind = KINDS[type(change)].value
    if isinstance(change, Restarted):
        nothing = dict.fromkeys(("mac", "port", "vlan", "from_port"))
        return ChangeEvent.model_validate(
            {"kind": kind, "at": change.at, "switch": change.switch, "uplink": False, **nothing}
        )
    place = change.place
    where = {"switch": place.switch, "port": place.port, "vlan": place.vlan}
    origin = change.origin.port if isinstance(change, Moved) else None
    uplink = is_uplink((place.switch, place.port))
    return ChangeEvent.model_validate(
        {
            "kind": kind,
            "at": change.at,
            "mac": str(change.mac),
            **where,
            "from_port": origin,
            "uplink": uplink,
        }
    )


def _finding_event(event: FindingChanged) -> FindingEvent:
    one = event.finding
    subject = one.subject
    return FindingEvent(
        kind=one.kind.value,
        state=one.state.value,
        title=title(one),
        switch=subject.switch or None,
        mac=None if subject.mac is None else str(subject.mac),
    )
