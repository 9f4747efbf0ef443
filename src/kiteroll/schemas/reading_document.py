"""The reading document: one reading as JSON, for files and programs. docs/reading-document.md."""

import ipaddress
from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from kiteroll.core.model import bounds
from kiteroll.schemas.base import Instant, MacText, StrictModel
from kiteroll.schemas.types import VlanId

Text = Annotated[str, Field(max_length=bounds.TEXT)]
Word = Annotated[str, Field(max_length=bounds.WORD)]
Counter = Annotated[int, Field(ge=0, le=bounds.COUNTER)]
Index = Annotated[int, Field(ge=0, le=bounds.INDEX)]
Vlans = Annotated[list[VlanId], Field(max_length=bounds.VLAN)]


def _ip(text: str) -> str:
    return str(ipaddress.ip_address(text))


IpText = Annotated[str, Field(max_length=bounds.IP_TEXT), AfterValidator(_ip)]
"""An IPv4 or IPv6 address, in its canonical form."""


class DocumentDevice(StrictModel):
    name: Text
    description: Text
    location: Text
    contact: Text
    uptime_s: float | None = Field(
        ge=0, le=1e10, description="seconds since the agent started; null when not reported"
    )
    bridge_address: MacText | None
    ageing_s: float | None = Field(
        gt=0, le=bounds.AGEING.total_seconds(), description="ageing time of the MAC address table, seconds"
    )
    model: Text = ""
    serial: Text = ""
    software: Text = ""
    topology_changes: Counter | None = Field(
        default=None, description="spanning-tree changes since the start"
    )
    topology_changed_at: Instant | None = None
    learning_discards: Counter | None = Field(
        default=None, description="addresses not learned because the table was full"
    )


class DocumentPort(StrictModel):
    name: str = Field(min_length=1, max_length=bounds.TEXT)
    number: int = Field(ge=1, le=bounds.INDEX, description="ifIndex")
    alias: Text
    admin: Literal["up", "down"]
    oper: Literal["up", "down", "unknown"]
    speed_bps: int | None = Field(ge=0, le=bounds.SPEED)
    bridged: bool = Field(description="whether it is a port of the bridge")
    address: MacText | None
    kind: Index | None = Field(default=None, description="ifType: 6 Ethernet, 161 aggregate, ...")
    duplex: Literal["full", "half", ""] = ""
    changed_at: Instant | None = Field(default=None, description="when it last went up or down")
    aggregate: Text | None = Field(default=None, description="the aggregate port it is bundled into")
    partner: str = Field(
        default="", max_length=bounds.PARTNER, description="far end of a bundled port: LACP system id, /, key"
    )
    default_vlan: VlanId | None = Field(default=None, description="VLAN of untagged frames that come in")
    tagged: Vlans = Field(default_factory=list)
    untagged: Vlans = Field(default_factory=list)
    spanning_tree: Word = ""


class DocumentNeighbour(StrictModel):
    port: Text = Field(description="our port")
    chassis: Text
    port_id: Text
    port_description: Text
    name: Text
    description: Text
    addresses: Annotated[list[Text], Field(max_length=bounds.LISTED)]
    capabilities: Annotated[list[Text], Field(max_length=bounds.LISTED)]


class DocumentAddress(StrictModel):
    ip: IpText
    mac: MacText


class DocumentVlan(StrictModel):
    id: VlanId
    name: Text


class DocumentEntry(StrictModel):
    mac: MacText
    vlan: VlanId | None = Field(description="null when the switch does not report it")
    port: str | None = Field(description="interface name; null when the switch does not report it")
    status: Literal["learned", "static", "self", "other"]


class DocumentGap(StrictModel):
    table: Text = Field(description="MIB table or group")
    why: str = Field(max_length=bounds.WHY)
    rows: Index = Field(description="rows read before it broke off, or rows left out")
    breaks: bool = Field(description="true: rows may be missing, so absence says nothing")


class ReadingDocument(StrictModel):
    format: Literal["kiteroll-reading"] = "kiteroll-reading"
    version: Literal[1] = 1
    switch: str = Field(
        max_length=bounds.SWITCH_NAME, description="name in the inventory, or the address that was read"
    )
    taken_at: Instant
    duration_s: float = Field(ge=0, le=86400)
    complete: bool
    device: DocumentDevice
    ports: list[DocumentPort] = Field(max_length=bounds.PORTS)
    vlans: list[DocumentVlan] = Field(max_length=bounds.VLAN)
    entries: list[DocumentEntry] = Field(max_length=bounds.ROWS)
    gaps: list[DocumentGap] = Field(max_length=bounds.GAPS)
    neighbours: list[DocumentNeighbour] = Field(default_factory=list, max_length=bounds.NEIGHBOURS)
    addresses: list[DocumentAddress] = Field(
        default_factory=list, max_length=bounds.ROWS, description="neighbour cache"
    )
