"""From readings to reading documents and back."""

from collections.abc import Mapping
from datetime import datetime, timedelta

from kiteroll.core.errors import BadAddress, Invalid
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import (
    Device,
    Entry,
    Gap,
    Neighbour,
    Oper,
    Port,
    Reading,
    Status,
    Vlan,
    key_of,
)
from kiteroll.core.model.table_rows import at_bundles, bundle_numbers, is_endpoint
from kiteroll.core.model.uptime import WRAP_TICKS
from kiteroll.schemas.reading_document import (
    DocumentAddress,
    DocumentDevice,
    DocumentEntry,
    DocumentGap,
    DocumentNeighbour,
    DocumentPort,
    DocumentVlan,
    ReadingDocument,
)


def to_document(reading: Reading, *, endpoints: bool = True) -> ReadingDocument:
    """`endpoints`: with the rows that stand for them."""
    entries = reading.entries() if endpoints else reading.other_entries()
    device = reading.device
    ticks = device.uptime_ticks
    return ReadingDocument(
        switch=reading.switch,
        taken_at=reading.taken_at,
        duration_s=round(reading.duration.total_seconds(), 3),
        complete=reading.complete,
        device=DocumentDevice(
            name=device.name,
            description=device.description,
            location=device.location,
            contact=device.contact,
            uptime_s=None if ticks is None else ticks / 100,
            bridge_address=_text(device.bridge_address),
            ageing_s=_seconds(device.ageing),
            model=device.model,
            serial=device.serial,
            software=device.software,
            topology_changes=device.topology_changes,
            topology_changed_at=device.topology_changed_at,
            learning_discards=device.learning_discards,
        ),
        ports=[_port(port, reading.changed_at(port)) for port in reading.ports],
        vlans=[DocumentVlan(id=vlan.id, name=vlan.name) for vlan in reading.vlans],
        entries=[
            DocumentEntry(mac=str(entry.mac), vlan=entry.vlan, port=entry.port, status=entry.status.value)
            for entry in entries
        ],
        gaps=[
            DocumentGap(table=gap.table, why=gap.why, rows=gap.rows, breaks=gap.breaks)
            for gap in reading.gaps
        ],
        neighbours=[_neighbour(one) for one in reading.neighbours],
        addresses=[DocumentAddress(ip=ip, mac=str(mac)) for ip, mac in sorted(reading.addresses.items())],
    )


def from_document(document: ReadingDocument, endpoints: Mapping[int, int] | None = None) -> Reading:
    """The reading a document holds; `endpoints`: more of its rows, key (`key_of`) to number of the port.
    Raises Invalid when its parts contradict each other."""
    device = document.device
    ticks = None if device.uptime_s is None else int(device.uptime_s * 100) % WRAP_TICKS
    numbers = {port.name: port.number for port in document.ports}
    bridged = {port.name for port in document.ports if port.bridged}
    own = {_mac(port.address) for port in document.ports} | {_mac(device.bridge_address)}
    learned = dict(endpoints or ())
    others: list[Entry] = []
    for place, entry in enumerate(document.entries):
        mac = MacAddress.parse(entry.mac)
        if entry.port is not None and entry.port not in numbers:
            raise Invalid(f"entries[{place}].port: {entry.port!r} is none of the document's ports")
        status = Status(entry.status)
        at_bridge = entry.port in bridged
        if entry.port is not None and is_endpoint(mac, status, bridged=at_bridge, own=own):
            learned[key_of(mac, entry.vlan)] = numbers[entry.port]
        else:
            others.append(Entry(mac=mac, vlan=entry.vlan, port=entry.port, status=status))
    gaps = tuple(Gap(table=gap.table, why=gap.why, rows=gap.rows, breaks=gap.breaks) for gap in document.gaps)
    if document.complete and any(gap.breaks for gap in gaps):
        raise Invalid("complete: it says true, yet gaps[] names one that breaks")
    if not document.complete and not any(gap.breaks for gap in gaps):
        gaps += (Gap(table="document", why="it says that it is not complete"),)
    try:
        ports = tuple(_read_port(port, document.taken_at, ticks) for port in document.ports)
        return Reading(
            switch=document.switch,
            taken_at=document.taken_at,
            duration=timedelta(seconds=document.duration_s),
            device=Device(
                name=device.name,
                description=device.description,
                location=device.location,
                contact=device.contact,
                uptime_ticks=ticks,
                bridge_address=_mac(device.bridge_address),
                ageing=None if device.ageing_s is None else timedelta(seconds=device.ageing_s),
                model=device.model,
                serial=device.serial,
                software=device.software,
                topology_changes=device.topology_changes,
                topology_changed_at=device.topology_changed_at,
                learning_discards=device.learning_discards,
            ),
            ports=ports,
            vlans=tuple(Vlan(id=vlan.id, name=vlan.name) for vlan in document.vlans),
            learned=at_bundles(learned, bundle_numbers(ports)),
            others=tuple(others),
            gaps=gaps,
            neighbours=tuple(_read_neighbour(one) for one in document.neighbours),
            addresses={one.ip: MacAddress.parse(one.mac) for one in document.addresses},
        )
    except ValueError as wrong:
        raise Invalid(f"ports: {wrong}") from wrong


def _read_port(port: DocumentPort, taken_at: datetime, ticks: int | None) -> Port:
    changed = None
    if ticks is not None and port.changed_at is not None:
        changed = (ticks - int((taken_at - port.changed_at).total_seconds() * 100)) % WRAP_TICKS
    return Port(
        number=port.number,
        name=port.name,
        alias=port.alias,
        admin_up=port.admin == "up",
        oper=Oper(port.oper),
        speed_bps=port.speed_bps,
        address=_mac(port.address),
        bridged=port.bridged,
        kind=port.kind,
        duplex=port.duplex,
        changed_ticks=changed,
        aggregate=port.aggregate,
        partner=port.partner,
        default_vlan=port.default_vlan,
        tagged=frozenset(port.tagged),
        untagged=frozenset(port.untagged),
        spanning_tree=port.spanning_tree,
    )


def _read_neighbour(one: DocumentNeighbour) -> Neighbour:
    try:
        chassis_mac = MacAddress.parse(one.chassis)
    except BadAddress:
        chassis_mac = None
    return Neighbour(
        port=one.port,
        chassis=one.chassis,
        chassis_mac=chassis_mac,
        port_id=one.port_id,
        port_description=one.port_description,
        name=one.name,
        description=one.description,
        addresses=tuple(one.addresses),
        capabilities=tuple(one.capabilities),
    )


def _mac(text: str | None) -> MacAddress | None:
    return None if text is None else MacAddress.parse(text)


def _port(port: Port, changed_at: datetime | None) -> DocumentPort:
    return DocumentPort(
        name=port.name,
        number=port.number,
        alias=port.alias,
        admin="up" if port.admin_up else "down",
        oper=port.oper.value,
        speed_bps=port.speed_bps,
        bridged=port.bridged,
        address=_text(port.address),
        kind=port.kind,
        duplex=port.duplex,  # type: ignore[arg-type]  # the reader knows no other words
        changed_at=changed_at,
        aggregate=port.aggregate,
        partner=port.partner,
        default_vlan=port.default_vlan,
        tagged=sorted(port.tagged),
        untagged=sorted(port.untagged),
        spanning_tree=port.spanning_tree,
    )


def _neighbour(one: Neighbour) -> DocumentNeighbour:
    return DocumentNeighbour(
        port=one.port,
        chassis=one.chassis,
        port_id=one.port_id,
        port_description=one.port_description,
        name=one.name,
        description=one.description,
        addresses=list(one.addresses),
        capabilities=list(one.capabilities),
    )


def _text(mac: MacAddress | None) -> str | None:
    return None if mac is None else str(mac)


def _seconds(duration: timedelta | None) -> float | None:
    return None if duration is None else duration.total_seconds()
