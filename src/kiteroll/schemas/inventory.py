"""Switches, their ports, and how they are asked."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from kiteroll.schemas.base import Answer, Instant, MacText, Model
from kiteroll.schemas.words import (
    AuthProtocol,
    Community,
    Health,
    HoldS,
    Host,
    IntervalS,
    OperState,
    Password,
    Source,
    SwitchName,
    TableSize,
    TimeoutS,
    Tries,
    UdpPort,
    Version,
    VlanId,
    check_host,
)


class Credential(Model):
    """How a switch is asked: by community (v1, v2c) or by user (v3). It is never sent back."""

    version: Version = "2c"
    community: Community | None = Field(default=None, repr=False)
    user: Annotated[str, Field(min_length=1, max_length=32)] | None = None
    auth: AuthProtocol | None = None
    auth_password: Password | None = Field(default=None, repr=False)
    privacy_password: Password | None = Field(default=None, repr=False, description="AES-128")
    context: Annotated[str, Field(max_length=64)] | None = None
    view: Annotated[str, Field(max_length=255)] | None = Field(
        default=None, repr=False, description="community or context of one VLAN's view; holds {vlan}"
    )
    view_vlans: list[VlanId] | None = None

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if (self.community is None) == (self.user is None):
            raise ValueError("give a community or a user, one of them")
        if (self.version == "3") != (self.user is not None):
            raise ValueError("version 3 goes with a user, versions 1 and 2c with a community")
        if self.privacy_password and not self.auth_password:
            raise ValueError("privacy needs authentication: give auth_password too")
        if self.view is not None and "{vlan}" not in self.view:
            raise ValueError("view must hold {vlan}, where the VLAN's number goes")
        return self

    @property
    def kind(self) -> str:
        """What may be told of it."""
        if self.user is None:
            return f"v{self.version} community"
        level = (
            "authPriv" if self.privacy_password else "authNoPriv" if self.auth_password else "noAuthNoPriv"
        )
        return f"v3 user {self.user}, {level}"


class NewCredential(Model):
    name: SwitchName
    access: Credential


class NamedCredential(Answer):
    """A credential as far as it is told."""

    name: str
    kind: str
    used_by: int
    """Switches that use it."""
    added_at: Instant


class NewSwitch(Model):
    name: SwitchName
    source: Source = "snmp"
    """How readings of it come: over SNMP, from a bridge of the machine the service runs on, or in
    files and calls only."""
    host: str = ""
    """snmp: IP address or host name; linux: BRIDGE or BRIDGE@NAMESPACE; files: nothing."""
    port: UdpPort = 161
    credential: SwitchName | None = None
    """A named credential; else `access` says how it is asked."""
    access: Credential | None = None
    site: Annotated[str, Field(max_length=64)] = ""
    groups: list[SwitchName] = Field(default_factory=list)
    notes: Annotated[str, Field(max_length=4000)] = ""
    interval_s: IntervalS | None = None
    timeout_s: TimeoutS | None = None
    tries: Tries | None = None
    """None: as set for the service."""
    table_size: TableSize | None = None
    hold_s: HoldS | None = None
    """None: as set for a group of it, or the service; else three times the ageing time."""
    enabled: bool = True

    @model_validator(mode="after")
    def _asked_somehow(self) -> Self:
        given = (self.credential is not None) + (self.access is not None)
        if self.source == "snmp":
            check_host(self.host)
            if given != 1:
                raise ValueError("give credential (a named one) or access (its own), one of them")
        elif given:
            raise ValueError(f"a switch whose source is {self.source} is not asked over SNMP: no credential")
        elif self.source == "linux" and not self.host:
            raise ValueError("host: name the bridge, such as br0 or br0@NAMESPACE")
        elif self.source == "files" and self.host:
            raise ValueError("host: readings of it come by file, it has no address to be asked at")
        return self


class SwitchChange(Model):
    """Only what is given changes."""

    name: SwitchName | None = None
    host: Annotated[str, Field(max_length=255)] | None = None
    port: UdpPort | None = None
    credential: SwitchName | None = None
    access: Credential | None = None
    site: Annotated[str, Field(max_length=64)] | None = None
    groups: list[SwitchName] | None = None
    notes: Annotated[str, Field(max_length=4000)] | None = None
    interval_s: IntervalS | None = None
    timeout_s: TimeoutS | None = None
    tries: Tries | None = None
    table_size: TableSize | None = None
    hold_s: HoldS | None = None
    enabled: bool | None = None


class Switch(Answer):
    name: str
    source: Source
    host: str
    port: int
    site: str
    groups: list[str]
    notes: str
    credential: str | None
    """The named credential it is asked by; null: one of its own."""
    asked_as: str
    interval_s: int
    timeout_s: float | None
    tries: int | None
    hold_s: int | None
    enabled: bool
    health: Health
    health_since: Instant | None
    tried_at: Instant | None
    """When it was last asked."""
    read_at: Instant | None
    """Its last complete reading: how old everything said about it is."""
    next_try_at: Instant | None
    error: str | None
    warnings: list[str]
    """What is odd about how it is set up or read, and what to do."""
    present: int
    """Addresses learned on it now."""
    sys_name: str
    description: str
    location: str
    contact: str
    bridge_address: MacText | None
    ageing_s: int | None
    model: str
    serial: str
    software: str
    topology_changes: int | None
    topology_changed_at: Instant | None
    learning_discards: int | None
    table_size: int | None
    """Addresses its table holds, as the operator said; null: not known."""
    up_since: Instant | None


class Port(Answer):
    switch: str
    name: str
    number: int
    """ifIndex."""
    alias: str
    admin_up: bool
    oper: OperState
    oper_since: Instant | None
    speed_bps: int | None
    bridged: bool
    duplex: str
    aggregate: str | None
    default_vlan: int | None
    tagged: list[int]
    untagged: list[int]
    spanning_tree: str
    present: int
    quiet: int
    role: Literal["access", "uplink"]
    role_by_hand: bool
    role_why: str
    """What the role rests on."""
    leads_to: list[str]
    """Known switches behind it, those next to it first: not empty on an uplink."""
    beyond: str
    """A bridge behind it that is not in the inventory and told of itself."""


class Neighbour(Answer):
    """A device that told of itself at a port (LLDP)."""

    switch: str
    port: str
    name: str
    far_port: str
    far_description: str
    chassis: str
    description: str
    addresses: list[str]
    capabilities: list[str]
    seen_at: Instant
    known_as: str | None
    """The switch of the inventory it is; null when it is none of them."""


class Vlan(Answer):
    id: int
    name: str


class PortChange(Model):
    role: Literal["access", "uplink"] | None
    """The operator's word; null takes it back."""


class Site(Answer):
    name: str
    at_once: int | None
    """Switches of it that are read at the same time; null: no limit of its own."""
    switches: int


class Group(Answer):
    name: str
    switches: int
    hold_s: int | None
    """How long a quiet address keeps its stay on its switches; null: as set for the service."""


class GroupChange(Model):
    hold_s: HoldS | None


class SiteLimit(Model):
    at_once: Annotated[int, Field(ge=1, le=1000)] | None
    """null takes the limit away."""


class CredentialTest(Model):
    """Ask one switch once, with a named credential or one given here; nothing is kept."""

    host: Host
    port: UdpPort = 161
    credential: SwitchName | None = None
    access: Credential | None = None

    @model_validator(mode="after")
    def _one_of_them(self) -> Self:
        if (self.credential is None) == (self.access is None):
            raise ValueError("give credential (a named one) or access, one of them")
        return self


class CredentialVerdict(Answer):
    works: bool
    why: str
    """The reason when it does not; what to look at when it does and something is odd."""
    asked_as: str
    took_ms: int
    sys_name: str = ""
    description: str = ""
    location: str = ""
    up_s: float | None = None
