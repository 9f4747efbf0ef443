"""The reading document: one reading as JSON, for files and programs. docs/reading-document.md."""

import json
from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any, Literal

from pydantic import Field, ValidationError

from kiteroll.core.errors import BadAddress, Invalid
from kiteroll.core.mac import MacAddress
from kiteroll.core.reading import (
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
from kiteroll.core.uptime import WRAP_TICKS
from kiteroll.schemas.base import Instant, MacText, Model

_MOST_PROBLEMS = 20


class DocumentDevice(Model):
    name: str
    description: str
    location: str
    contact: str
    uptime_s: float | None = Field(description="seconds since the agent started; null when not told")
    bridge_address: MacText | None
    ageing_s: float | None = Field(description="ageing time of the MAC address table, seconds")
    model: str = ""
    serial: str = ""
    software: str = ""
    topology_changes: int | None = Field(default=None, description="spanning-tree changes since the start")
    topology_changed_at: Instant | None = None
    learning_discards: int | None = Field(
        default=None, description="addresses not learned because the table was full"
    )


class DocumentPort(Model):
    name: str = Field(min_length=1, max_length=255)
    number: int = Field(ge=1, le=2**31 - 1, description="ifIndex")
    alias: str
    admin: Literal["up", "down"]
    oper: Literal["up", "down", "unknown"]
    speed_bps: int | None
    bridged: bool = Field(description="whether it is a port of the bridge")
    address: MacText | None
    kind: int | None = Field(default=None, description="ifType: 6 Ethernet, 161 aggregate, ...")
    duplex: Literal["full", "half", ""] = ""
    changed_at: Instant | None = Field(default=None, description="when it last went up or down")
    aggregate: str | None = Field(default=None, description="the aggregate port it is bundled into")
    default_vlan: int | None = Field(default=None, description="VLAN of untagged frames that come in")
    tagged: list[int] = Field(default_factory=list)
    untagged: list[int] = Field(default_factory=list)
    spanning_tree: str = ""


class DocumentNeighbour(Model):
    port: str = Field(description="our port")
    chassis: str
    port_id: str
    port_description: str
    name: str
    description: str
    addresses: list[str]
    capabilities: list[str]


class DocumentAddress(Model):
    ip: str
    mac: MacText


class DocumentVlan(Model):
    id: int = Field(ge=1, le=4094)
    name: str


class DocumentEntry(Model):
    mac: MacText
    vlan: int | None = Field(ge=1, le=4094, description="null when the switch does not tell")
    port: str | None = Field(description="interface name; null when the switch does not tell")
    status: Literal["learned", "static", "self", "other"]


class DocumentGap(Model):
    table: str = Field(description="MIB table or group")
    why: str
    rows: int = Field(description="rows read before it broke off, or rows left out")
    breaks: bool = Field(description="true: rows may be missing, so absence says nothing")


class ReadingDocument(Model):
    format: Literal["kiteroll-reading"] = "kiteroll-reading"
    version: Literal[1] = 1
    switch: str = Field(max_length=64, description="name in the inventory, or the address that was read")
    taken_at: Instant
    duration_s: float = Field(ge=0, le=86400)
    complete: bool
    device: DocumentDevice
    ports: list[DocumentPort]
    vlans: list[DocumentVlan]
    entries: list[DocumentEntry]
    gaps: list[DocumentGap]
    neighbours: list[DocumentNeighbour] = Field(default_factory=list)
    addresses: list[DocumentAddress] = Field(default_factory=list, description="neighbour cache")


def to_document(reading: Reading) -> ReadingDocument:
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
            for entry in reading.entries()
        ],
        gaps=[
            DocumentGap(table=gap.table, why=gap.why, rows=gap.rows, breaks=gap.breaks)
            for gap in reading.gaps
        ],
        neighbours=[_neighbour(one) for one in reading.neighbours],
        addresses=[DocumentAddress(ip=ip, mac=str(mac)) for ip, mac in sorted(reading.addresses.items())],
    )


def from_document(document: ReadingDocument) -> Reading:
    """The reading a document holds. Raises Invalid when its parts contradict each other."""
    device = document.device
    ticks = None if device.uptime_s is None else int(device.uptime_s * 100) % WRAP_TICKS
    numbers = {port.name: port.number for port in document.ports}
    learned: dict[int, int] = {}
    others: list[Entry] = []
    for place, entry in enumerate(document.entries):
        mac = MacAddress.parse(entry.mac)
        if entry.port is not None and entry.port not in numbers:
            raise Invalid(f"entries[{place}].port: {entry.port!r} is none of the document's ports")
        if entry.status == "learned" and entry.port is not None and not mac.is_group:
            learned[key_of(mac, entry.vlan)] = numbers[entry.port]
        else:
            others.append(Entry(mac=mac, vlan=entry.vlan, port=entry.port, status=Status(entry.status)))
    gaps = tuple(Gap(table=gap.table, why=gap.why, rows=gap.rows, breaks=gap.breaks) for gap in document.gaps)
    if document.complete and any(gap.breaks for gap in gaps):
        raise Invalid("complete: it says true, yet gaps[] names one that breaks")
    if not document.complete and not any(gap.breaks for gap in gaps):
        gaps += (Gap(table="document", why="it says that it is not complete"),)
    try:
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
            ports=tuple(_read_port(port, document.taken_at, ticks) for port in document.ports),
            vlans=tuple(Vlan(id=vlan.id, name=vlan.name) for vlan in document.vlans),
            learned=learned,
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


def read_documents(text: str, file: str) -> list[ReadingDocument]:
    """Reading documents of a file: one, a list of them, or one a line (JSON Lines).

    Raises Invalid naming the file, and line and column or the path of what is wrong.
    """
    try:
        loaded = json.loads(text)
        found = [(f"{file}", one) for one in (loaded if isinstance(loaded, list) else [loaded])]
    except ValueError as wrong:
        found = _lines(text, file, wrong)
    if not found:
        raise Invalid(f"{file}: it holds no reading")
    problems: list[str] = []
    documents: list[ReadingDocument] = []
    for where, one in found:
        try:
            document = ReadingDocument.model_validate(one)
            from_document(document)
            documents.append(document)
        except ValidationError as wrong:
            problems += [f"{where}, {_path(error['loc'])}: {error['msg']}" for error in wrong.errors()]
        except Invalid as wrong:
            problems.append(f"{where}, {wrong}")
    if problems:
        raise Invalid("\n  ".join(("nothing of the file was taken:", *problems[:_MOST_PROBLEMS])))
    return documents


def _lines(text: str, file: str, wrong: ValueError) -> list[tuple[str, Any]]:
    lines = [(number, line) for number, line in enumerate(text.splitlines(), 1) if line.strip()]
    if len(lines) < 2 or not lines[0][1].rstrip().endswith("}"):
        raise Invalid(f"{file}: it is no JSON: {wrong}") from wrong
    found = []
    for number, line in lines:
        try:
            found.append((f"{file}, line {number}", json.loads(line)))
        except ValueError as bad:
            raise Invalid(f"{file}, line {number}: it is no JSON: {bad}") from bad
    return found


def _path(location: Sequence[int | str]) -> str:
    text = "".join(f"[{part}]" if isinstance(part, int) else f".{part}" for part in location)
    return text.removeprefix(".") or "the document"


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
