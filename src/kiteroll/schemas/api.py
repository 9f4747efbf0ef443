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
Health = Literal["unread", "read", "partial", "late", "silent", "refused", "failed", "off"]
Source = Literal["snmp", "linux", "files"]
TimeoutS = Annotated[float, Field(ge=0.05, le=60, description="seconds to wait for one answer")]
Tries = Annotated[int, Field(ge=1, le=10, description="how often one request is sent")]
HoldS = Annotated[int, Field(ge=0, le=30 * 86400, description="seconds a quiet address keeps its stay")]
TableSize = Annotated[int, Field(ge=1, le=10_000_000, description="addresses its table holds")]
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
    role: Literal["access", "uplink"]
    leads_to: list[str]


class Stay(Place):
    mac: MacText


class Endpoint(Answer):
    mac: MacText
    maker: str
    """By the operator's own prefixes, else by the registry; empty when none is known."""
    assigned: Literal["registry", "local", "likely random"]
    """Where the address comes from: a maker's registered prefix, a prefix of local choice, or an
    address of its own that a device made up."""
    ips: list[str]
    """IP addresses that answer with it now, as neighbour caches tell."""
    names: list[str]
    """Host names of those, as the DNS told last."""
    first_seen_at: Instant
    home: Place | None
    """Where it attaches; null when it is only seen on ports that lead to other switches."""
    why: str
    """The weightiest reason for the home, or for none."""
    confidence: Literal["sure", "likely", "doubtful", "none"]
    reasons: list[str]
    label: str
    owner: str
    notes: str
    """What operators say of it."""
    places: list[Place]
    """Open stays; for an endpoint that is gone, its last one."""


class IpStay(Answer):
    """An IP address that answered with the endpoint's address, for a time."""

    ip: str
    source: str
    """The switch or router that told."""
    began_at: Instant
    ended_at: Instant | None
    names: list[str]


class Maker(Answer):
    """A prefix of the operator's own list."""

    prefix: str
    maker: str


class NewMakers(Model):
    """Prefixes and their makers; those of the same prefix are replaced."""

    makers: Annotated[
        dict[str, Annotated[str, Field(min_length=1, max_length=128)]], Field(max_length=50_000)
    ]


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


FindingKind = Literal[
    "moved",
    "flapping",
    "doubled-address",
    "contested-ip",
    "loop",
    "address-flood",
    "silent-port",
    "table-filling",
    "ageing-too-short",
    "switch-restarted",
    "switch-not-read",
]
FindingState = Literal["open", "acknowledged", "cleared"]
Severity = Literal["note", "warning", "serious"]
Person = Annotated[str, Field(min_length=1, max_length=64)]


class Evidence(Answer):
    at: Instant
    text: str


class FindingPlace(Answer):
    switch: str
    port: str


class Finding(Answer):
    """Something a person must look at."""

    id: int
    kind: FindingKind
    severity: Severity
    state: FindingState
    title: str
    cause: str
    """The likely cause; `evidence` is what it rests on."""
    mac: MacText | None
    switch: str | None
    port: str | None
    ip: str | None
    places: list[FindingPlace]
    evidence: list[Evidence]
    count: int
    """Pieces of evidence since it opened first; the latest are in `evidence`."""
    opened: int
    """How often it opened."""
    first_at: Instant
    opened_at: Instant
    last_at: Instant
    """Latest evidence: it is quiet since then."""
    clears_at: Instant | None
    """When it clears by itself, if nothing more comes."""
    cleared_at: Instant | None
    cleared_by: str
    """Empty: by itself."""
    acknowledged_by: str
    note: str
    acknowledged_until: Instant | None
    parts: int
    """Findings that this one explains."""
    part_of: int | None
    """The finding that explains this one."""


class Acknowledgement(Model):
    by: Person
    note: Annotated[str, Field(max_length=4000)] = ""
    until: Instant | None = None
    """None: until it clears."""


class Clearing(Model):
    by: Person


class FindingPage(Answer):
    """What a kind of finding means."""

    kind: FindingKind
    title: str
    why: str
    looks: str
    do: str
    quieten: str


class SharedAddress(Answer):
    prefix: str
    """6 to 12 hex digits: a whole address, or what addresses begin with."""
    why: str


class NewSharedAddress(Model):
    why: Annotated[str, Field(min_length=1, max_length=255)]


class EndpointChange(Model):
    """Only what is given changes."""

    label: Annotated[str, Field(max_length=128)] | None = None
    owner: Annotated[str, Field(max_length=128)] | None = None
    notes: Annotated[str, Field(max_length=4000)] | None = None


class PortChange(Model):
    role: Literal["access", "uplink"] | None
    """The operator's word; null takes it back."""


class Compared(Answer):
    """How an endpoint differs between two instants."""

    mac: MacText
    difference: Literal["appeared", "came back", "gone", "moved"]
    at: Instant
    before: list[str]
    after: list[str]
    """Places on ports that lead to no switch."""


class CountStep(Answer):
    at: Instant
    count: int
    """How many from then on."""


class VlanSummary(Answer):
    id: int
    names: list[str]
    switches: int
    present: int


class VlanPort(Answer):
    switch: str
    port: str
    alias: str
    tagged: bool
    default: bool
    """Untagged frames that come in belong to it."""
    oper: Literal["up", "down", "unknown"]


class MapLink(Answer):
    """A cable between switches, as far as each end is known."""

    a: str
    a_port: str
    b: str
    b_port: str | None
    why: str


class MapSwitch(Answer):
    name: str
    site: str
    health: Health
    present: int
    findings: int
    """Open ones that concern it."""


class NetworkMap(Answer):
    switches: list[MapSwitch]
    links: list[MapLink]


class Hop(Answer):
    """One switch on the way to an endpoint."""

    switch: str
    port: str
    heard: bool
    """Whether the switch has learned the address there."""
    leads_to: str
    """The next switch; empty at the end."""
    why: str


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


class Mapping(Model):
    """How the columns of a CSV table are to be understood; without a heading, columns are numbers."""

    address: Annotated[str, Field(min_length=1, max_length=255)]
    port: Annotated[str, Field(min_length=1, max_length=255)]
    vlan: str = ""
    status: str = ""
    delimiter: Annotated[str, Field(min_length=1, max_length=1)] = ","
    heading: bool = True
    skip: Annotated[int, Field(ge=0, le=1000)] = 0
    notation: Literal["hex", "decimal"] = "hex"
    learned: list[str] = Field(default_factory=list)
    port_name: str = "{port}"
    port_names: dict[str, str] = Field(default_factory=dict)


class NamedMapping(Answer):
    name: str
    mapping: Mapping


class NewTable(Model):
    """A MAC address table as CSV text, for a switch that cannot be reached."""

    switch: SwitchName
    taken_at: Instant
    text: Annotated[str, Field(max_length=64 * 1024 * 1024)]
    mapping: SwitchName | Mapping
    """A mapping's name, or one given here."""
    file: Annotated[str, Field(max_length=255)] = "the table"
    """What messages call it."""
    dry_run: bool = False


class NewRound(Model):
    """Which switches to read: some by name, a group, or all; one of the three."""

    switches: list[SwitchName] | None = None
    group: SwitchName | None = None
    all: bool = False

    @model_validator(mode="after")
    def _one_of_them(self) -> Self:
        if sum((bool(self.switches), self.group is not None, self.all)) != 1:
            raise ValueError("name the switches, or a group, or say all: one of them")
        return self


class Round(Answer):
    """A round somebody asked for."""

    id: int
    state: Literal["running", "done", "cancelled", "broken off"]
    """`broken off`: the service ended in the middle of it; it can be resumed."""
    began_at: Instant
    ended_at: Instant | None
    wanted: int
    tried: int
    well: int
    """Read completely."""
    left: list[str]
    failed: list[str]
    """Tried, and not read completely."""


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
