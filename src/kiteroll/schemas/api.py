"""What the API takes and gives. Words are those of docs/words.md."""

import re
from typing import Annotated, Literal, Self

from pydantic import AfterValidator, Field, model_validator

from kiteroll.schemas.base import Answer, Instant, MacText, Model

_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9._-]{0,63}")
_HOST = re.compile(r"[A-Za-z0-9]([A-Za-z0-9._-]*[A-Za-z0-9])?|[0-9A-Fa-f:.]*:[0-9A-Fa-f:.]*(%[A-Za-z0-9]+)?")


def _switch_name(name: str) -> str:
    if not _NAME.fullmatch(name):
        raise ValueError(
            f"{name!r} is no switch name: letters, digits, dots, dashes and underscores, at most 64, "
            "beginning with a letter or digit"
        )
    return name


def check_host(host: str) -> str:
    """IPv4, IPv6 or a host name (RFC 1123); whether it resolves is seen when it is read."""
    text = host.strip().removeprefix("[").removesuffix("]")
    numbers = text.split(".")
    looks_ipv4 = all(part.isdigit() for part in numbers)
    if looks_ipv4 and not (len(numbers) == 4 and all(int(part) <= 255 for part in numbers)):
        raise ValueError(f"{host!r} is no IPv4 address: it takes four numbers from 0 to 255")
    if not _HOST.fullmatch(text) or len(text) > 253 or ".." in text:
        raise ValueError(f"{host!r} is neither an IP address nor a host name")
    return text


SwitchName = Annotated[str, AfterValidator(_switch_name)]
Host = Annotated[str, AfterValidator(check_host)]
UdpPort = Annotated[int, Field(ge=1, le=65535)]
Community = Annotated[str, Field(min_length=1, max_length=255)]
IntervalS = Annotated[int, Field(ge=5, le=86400, description="seconds between two readings")]
Version = Literal["1", "2c", "3"]
AuthProtocol = Literal["sha1", "sha224", "sha256", "sha384", "sha512"]
Password = Annotated[str, Field(min_length=8, max_length=255)]
VlanId = Annotated[int, Field(ge=1, le=4094)]
Health = Literal["unread", "read", "partial", "silent", "refused", "failed", "off"]
Life = Literal["present", "quiet", "gone"]
ChangeKind = Literal["appeared", "moved", "quiet", "returned", "gone", "restarted"]
Outcome = Literal["complete", "partial", "failed"]


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
    host: Host
    port: UdpPort = 161
    credential: SwitchName | None = None
    """A named credential; else `access` says how it is asked."""
    access: Credential | None = None
    site: Annotated[str, Field(max_length=64)] = ""
    groups: list[SwitchName] = Field(default_factory=list)
    notes: Annotated[str, Field(max_length=4000)] = ""
    interval_s: IntervalS | None = None
    """None: as set for the service."""
    enabled: bool = True

    @model_validator(mode="after")
    def _asked_somehow(self) -> Self:
        if (self.credential is None) == (self.access is None):
            raise ValueError("give credential (a named one) or access (its own), one of them")
        return self


class SwitchChange(Model):
    """Only what is given changes."""

    name: SwitchName | None = None
    host: Host | None = None
    port: UdpPort | None = None
    credential: SwitchName | None = None
    access: Credential | None = None
    site: Annotated[str, Field(max_length=64)] | None = None
    groups: list[SwitchName] | None = None
    notes: Annotated[str, Field(max_length=4000)] | None = None
    interval_s: IntervalS | None = None
    enabled: bool | None = None


class Switch(Answer):
    name: str
    host: str
    port: int
    site: str
    groups: list[str]
    notes: str
    credential: str | None
    """The named credential it is asked by; null: one of its own."""
    asked_as: str
    interval_s: int
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
    up_since: Instant | None


class Port(Answer):
    switch: str
    name: str
    number: int
    """ifIndex."""
    alias: str
    admin_up: bool
    oper: Literal["up", "down", "unknown"]
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
    leads_to: list[str]
    """Known switches whose own address is learned here: not empty on an uplink."""


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


class Place(Answer):
    """A stay at a place."""

    switch: str
    port: str
    port_alias: str
    vlan: int | None
    vlan_name: str
    life: Life
    began_at: Instant
    seen_at: Instant
    quiet_at: Instant | None
    ended_at: Instant | None
    ending: str | None
    read_at: Instant | None
    leads_to: list[str]


class Stay(Place):
    mac: MacText


class Endpoint(Answer):
    mac: MacText
    local: bool
    """Locally administered: the first octets name no registered maker."""
    ips: list[str]
    """IP addresses that answer with it now, as neighbour caches tell."""
    first_seen_at: Instant
    home: Place | None
    """Where it attaches; null when it is only seen on ports that lead to other switches."""
    why: str
    """The reason for the home, or for none."""
    places: list[Place]
    """Open stays; for an endpoint that is gone, its last one."""


class Found(Answer):
    """What a text typed into the search may mean."""

    query: str
    endpoints: list[Endpoint]
    more: bool
    """More endpoints match than are listed."""
    switches: list[Switch]
    ports: list[Port]


class Change(Answer):
    id: int
    at: Instant
    kind: ChangeKind
    switch: str
    mac: MacText | None
    vlan: int | None
    port: str | None
    from_port: str | None
    """Of a move."""
    why: str


class Gap(Answer):
    table: str
    why: str
    rows: int
    breaks: bool


class ReadingSummary(Answer):
    switch: str
    taken_at: Instant
    duration_ms: int
    outcome: Outcome
    rows: int
    changes: int
    gaps: list[Gap]
    error: str | None


class ServiceHealth(Answer):
    version: str
    started_at: Instant
    database: Literal["up", "down"]
    database_note: str
    switches: int
    endpoints: int
    tracked: int
    """(address, place) pairs with an open stay."""


class SignIn(Model):
    token: str = Field(min_length=1, max_length=512, repr=False)


class Session(Answer):
    signed_in: bool


class FieldProblem(Answer):
    where: str
    what: str


class Problem(Answer):
    """Problem details (RFC 9457)."""

    type: str
    title: str
    status: int
    detail: str
    code: str
    errors: list[FieldProblem] = Field(default_factory=list)
