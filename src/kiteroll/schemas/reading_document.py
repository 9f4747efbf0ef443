"""The reading document: one reading as JSON, for files and programs. docs/reading-document.md."""

from typing import Literal

from pydantic import Field

from kiteroll.schemas.base import Instant, MacText, RequestModel


class DocumentDevice(RequestModel):
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


class DocumentPort(RequestModel):
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


class DocumentNeighbour(RequestModel):
    port: str = Field(description="our port")
    chassis: str
    port_id: str
    port_description: str
    name: str
    description: str
    addresses: list[str]
    capabilities: list[str]


class DocumentAddress(RequestModel):
    ip: str
    mac: MacText


class DocumentVlan(RequestModel):
    id: int = Field(ge=1, le=4094)
    name: str


class DocumentEntry(RequestModel):
    mac: MacText
    vlan: int | None = Field(ge=1, le=4094, description="null when the switch does not tell")
    port: str | None = Field(description="interface name; null when the switch does not tell")
    status: Literal["learned", "static", "self", "other"]


class DocumentGap(RequestModel):
    table: str = Field(description="MIB table or group")
    why: str
    rows: int = Field(description="rows read before it broke off, or rows left out")
    breaks: bool = Field(description="true: rows may be missing, so absence says nothing")


class ReadingDocument(RequestModel):
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
