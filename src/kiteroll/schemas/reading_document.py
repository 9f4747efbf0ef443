"""The reading document: one reading as JSON, for files and programs. docs/reading-document.md."""

from datetime import datetime, timedelta
from typing import Literal

from pydantic import Field

from kiteroll.core.mac import MacAddress
from kiteroll.core.reading import Neighbour, Port, Reading
from kiteroll.schemas.base import Instant, MacText, Model


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
    name: str
    number: int = Field(description="ifIndex")
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
    switch: str = Field(description="name in the inventory, or the address that was read")
    taken_at: Instant
    duration_s: float
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
