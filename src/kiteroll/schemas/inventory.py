"""Switches, their ports, credentials, groups and sites."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from kiteroll.core.model.host import check_host
from kiteroll.schemas.base import Instant, MacText, RequestModel, ResponseModel
from kiteroll.schemas.types import (
    AuthProtocol,
    Community,
    Health,
    HoldS,
    Host,
    IntervalS,
    Name,
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
)


class Credential(RequestModel):
    """How a switch is polled: by community (v1, v2c) or by user (v3). It is never sent back."""

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
        """What may be shown of it."""
        if self.user is None:
            return f"v{self.version} community"
        level = (
            "authPriv" if self.privacy_password else "authNoPriv" if self.auth_password else "noAuthNoPriv"
        )
        return f"v3 user {self.user}, {level}"


class NewCredential(RequestModel):
    name: Name
    access: Credential


class NamedCredential(ResponseModel):
    """A named credential, without its secrets."""

    name: str
    kind: str
    used_by: int
    """Switches that use it."""
    added_at: Instant


class NewSwitch(RequestModel):
    name: SwitchName
    source: Source = "snmp"
    """How readings of it come: over SNMP, from a bridge of the machine the service runs on, or in
    files and calls only."""
    host: str = ""
    """snmp: IP address or host name; linux: BRIDGE or BRIDGE@NAMESPACE; files: nothing."""
    port: UdpPort = 161
    credential: Name | None = None
    """A named credential; else `access` says how it is polled."""
    access: Credential | None = None
    write_credential: Name | None = None
    """A named credential to write with; without, nothing is ever written to it."""
    site: Annotated[str, Field(max_length=64)] = ""
    groups: list[Name] = Field(default_factory=list)
    notes: Annotated[str, Field(max_length=4000)] = ""
    interval_s: IntervalS | None = None
    timeout_s: TimeoutS | None = None
    tries: Tries | None = None
    """None: as set for the service."""
    table_size: TableSize | None = None
    hold_time_s: HoldS | None = None
    """None: as set for a group of it, or the service; else three times the ageing time."""
    enabled: bool = True

    @model_validator(mode="after")
    def _has_access(self) -> Self:
        given = (self.credential is not None) + (self.access is not None)
        if self.source == "snmp":
            check_host(self.host)
            if given != 1:
                raise ValueError("give credential (a named one) or access (its own), one of them")
        elif given:
            raise ValueError(f"a switch whose source is {self.source} is not polled over SNMP: no credential")
        elif self.source == "linux" and not self.host:
            raise ValueError("host: name the bridge, such as br0 or br0@NAMESPACE")
        elif self.source == "files" and self.host:
            raise ValueError("host: its readings are imported, so it has no address")
        return self


SWITCHES_AT_ONCE = 5_000
"""At most so many are added, and so many changed, as one."""


class SwitchChange(RequestModel):
    """Only what is given changes."""

    name: SwitchName | None = None
    host: Annotated[str, Field(max_length=255)] | None = None
    port: UdpPort | None = None
    credential: Name | None = None
    access: Credential | None = None
    write_credential: Name | Literal[""] | None = None
    """Empty: it is only read from now on."""
    site: Annotated[str, Field(max_length=64)] | None = None
    groups: list[Name] | None = None
    notes: Annotated[str, Field(max_length=4000)] | None = None
    interval_s: IntervalS | None = None
    timeout_s: TimeoutS | None = None
    tries: Tries | None = None
    table_size: TableSize | None = None
    hold_time_s: HoldS | None = None
    enabled: bool | None = None


class InventoryChanges(RequestModel):
    """Switches to add and to change as one: all of them or none."""

    add: Annotated[list[NewSwitch], Field(max_length=SWITCHES_AT_ONCE)] = Field(default_factory=list)
    change: Annotated[dict[SwitchName, SwitchChange], Field(max_length=SWITCHES_AT_ONCE)] = Field(
        default_factory=dict
    )
    """By the name they have."""
    dry_run: bool = False


class InventoryOutcome(ResponseModel):
    applied: bool
    added: list[str]
    changed: list[str]


class Switch(ResponseModel):
    name: str
    source: Source
    host: str
    port: int
    site: str
    groups: list[str]
    notes: str
    credential: str | None
    """The named credential it is polled with; null: one of its own."""
    credential_kind: str
    write_credential: str | None
    """The named credential it is written with; null: it is only read."""
    interval_s: int
    timeout_s: float | None
    tries: int | None
    hold_time_s: int | None
    enabled: bool
    health: Health
    healthy: bool
    """Read completely and on time."""
    health_since: Instant | None
    tried_at: Instant | None
    """When it was last tried."""
    read_at: Instant | None
    """Its last complete reading: how old everything shown of it is."""
    next_try_at: Instant | None
    """Null: it is not read, or is due already."""
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
    """Addresses its table holds, as the operator set it; null: not known."""
    up_since: Instant | None


class Port(ResponseModel):
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
    """The aggregate port it is bundled into."""
    partner: str
    """Far end of a bundled port: LACP system id, a slash, and the key of the bundle there."""
    default_vlan: int | None
    tagged: list[int]
    untagged: list[int]
    spanning_tree: str
    present: int
    quiet: int
    role: Literal["access", "uplink"]
    role_by_operator: bool
    role_evidence: str
    """What the role rests on."""
    leads_to: list[str]
    """Known switches behind the port, the adjacent ones first; ten at most."""
    leads_to_count: int
    """How many there are."""
    beyond: str
    """A bridge behind it that is not in the inventory and announces itself there."""
    use: Literal["uplink", "in use", "quiet", "silent", "shut", "down", "idle"]
    silent_since: Instant | None
    """Since when it is up with no address learned."""


class Neighbour(ResponseModel):
    """A device that announces itself at a port (LLDP)."""

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


class Vlan(ResponseModel):
    id: int
    name: str


class PortChange(RequestModel):
    role: Literal["access", "uplink"] | None
    """Set by the operator; null leaves it to the evidence."""


class Site(ResponseModel):
    name: str
    concurrency: int | None
    """Switches of it that are read at the same time; null: no limit of its own."""
    area: str
    """Sites of one area share layer 2; empty: the area of all sites that name none."""
    switches: int


class Area(ResponseModel):
    """Sites that share layer 2."""

    name: str
    """Empty: the area of all sites that name none."""
    sites: list[str]
    switches: int
    tracked: int
    """How many of them a tracker of the area has; the service tracks the others."""
    tracker: str
    """Where it runs: machine and process; empty: there is none."""
    times_taken: int
    """How often a tracker took the area, the first time too."""


class Group(ResponseModel):
    name: str
    switches: int
    hold_time_s: int | None
    """How long a quiet address keeps its stay on its switches; null: as set for the service."""
    shares_tables: bool
    """Whether its switches are a pair that shares one MAC address table: who is at both is at one place."""


class GroupChange(RequestModel):
    """Only what is given changes."""

    hold_time_s: HoldS | None = None
    shares_tables: bool = False


class SiteChange(RequestModel):
    """Only what is given changes."""

    concurrency: Annotated[int, Field(ge=1, le=1000)] | None = None
    """null removes the limit."""
    area: Annotated[str, Field(max_length=64)] = ""
    """Empty: the area of all sites that name none."""


class CredentialTest(RequestModel):
    """Try one switch once, with a named credential or one given here; nothing is stored."""

    host: Host
    port: UdpPort = 161
    credential: Name | None = None
    access: Credential | None = None

    @model_validator(mode="after")
    def _one_of_them(self) -> Self:
        if (self.credential is None) == (self.access is None):
            raise ValueError("give credential (a named one) or access, one of them")
        return self


class CredentialVerdict(ResponseModel):
    works: bool
    why: str
    """The reason when it does not; what to check when it does and something is odd."""
    credential_kind: str
    took_ms: int
    sys_name: str = ""
    description: str = ""
    location: str = ""
    up_s: float | None = None
