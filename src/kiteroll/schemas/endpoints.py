"""Endpoints and their places, search results, makers and shared addresses."""

from typing import Annotated, Literal

from pydantic import Field

from kiteroll.schemas.base import Instant, MacText, RequestModel, ResponseModel
from kiteroll.schemas.inventory import Port, Switch
from kiteroll.schemas.labels import Label, LabelChange
from kiteroll.schemas.types import Life


class Place(ResponseModel):
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
    """Why the stay ended."""
    read_at: Instant | None
    role: Literal["access", "uplink"]
    """Of the port; of a stay that is over, the one that the port had while it lasted."""
    leads_to: list[str]
    """Known switches behind the port, the adjacent ones first; ten at most."""
    leads_to_count: int
    """How many there are."""


class Stay(Place):
    mac: MacText


class HomeElsewhere(ResponseModel):
    """Where the same address is at home in another area: there it is another device."""

    area: str
    """Empty: the area of all sites that name none."""
    home: Place
    why: str
    confidence: Literal["sure", "likely", "doubtful", "none"]


class Endpoint(ResponseModel):
    mac: MacText
    maker: str
    """By the operator's own prefixes, else by the registry; empty when none is known."""
    origin: Literal["registry", "local", "likely random"]
    """Where the address comes from: a maker's registered prefix, a prefix of local choice, or an
    address a device made up for itself."""
    ips: list[str]
    """IP addresses that answer with it now, according to neighbour caches."""
    host_names: list[str]
    """Host names of those, as last looked up in the DNS."""
    first_seen_at: Instant
    home: Place | None
    """Where it attaches; null when it is only seen on uplinks."""
    why: str
    """The weightiest reason for the home, or for none."""
    confidence: Literal["sure", "likely", "doubtful", "none"]
    reasons: list[str]
    homes_elsewhere: list[HomeElsewhere]
    """In other areas than that of `home`."""
    label: str
    owner: str
    notes: str
    """Label, owner and notes are the operators' own."""
    places: list[Place]
    """Open stays; for an endpoint that is gone, its last one."""


class QuietTime(ResponseModel):
    """A time in which an endpoint was missing where it was, within one of its stays."""

    switch: str
    port: str
    vlan: int | None
    began_at: Instant
    """When a reading first missed it."""
    ended_at: Instant | None
    """When it was seen again or the stay ended; null while it is quiet."""


class ReadingPause(ResponseModel):
    """A time during a stay in which its switch was not read whole, or so seldom, that the endpoint may have
    been elsewhere."""

    switch: str
    port: str
    vlan: int | None
    began_at: Instant
    """The last whole reading before it, or when the stay began."""
    ended_at: Instant | None
    """The first whole reading after it, or when the stay ended; null while it lasts."""


class HomeInterval(ResponseModel):
    """A time in which an endpoint was at home at one place."""

    mac: MacText
    switch: str
    port: str
    vlan: int | None
    since: Instant
    until: Instant | None
    """null while it is."""


class IpStay(ResponseModel):
    """An IP address that answered with the endpoint's address, for a time."""

    ip: str
    source: str
    """The switch or router whose neighbour cache shows it."""
    began_at: Instant
    ended_at: Instant | None
    host_names: list[str]


class Maker(ResponseModel):
    """A prefix of the operator's own list."""

    prefix: str
    maker: str


class NewMakers(RequestModel):
    """Prefixes and their makers; those of the same prefix are replaced."""

    makers: Annotated[
        dict[str, Annotated[str, Field(min_length=1, max_length=128)]], Field(max_length=50_000)
    ]


class SearchedText(ResponseModel):
    """One text of a list that was pasted, and what it found."""

    text: str
    macs: list[MacText]
    switches: list[str]
    problem: str
    """Why nothing was searched for; empty: it was."""


class SearchResult(ResponseModel):
    """What a search text may mean."""

    query: str
    endpoints: list[Endpoint]
    more: bool
    """More endpoints match than are listed."""
    switches: list[Switch]
    ports: list[Port]
    never_seen: list[Label]
    """Addresses that have a label, and that no switch has learned."""
    texts: list[SearchedText]
    """Of a list that was pasted, in its order; empty for a single text."""


class SharedAddress(ResponseModel):
    prefix: str
    """6 to 12 hex digits: a whole address, or what addresses begin with."""
    reason: str


class NewSharedAddress(RequestModel):
    reason: Annotated[str, Field(min_length=1, max_length=255)]


class EndpointChange(LabelChange):
    """Only what is given changes."""


class Hop(ResponseModel):
    """One switch on the path to an endpoint."""

    switch: str
    port: str
    learned: bool
    """Whether the switch has learned the address there."""
    leads_to: str
    """The next switch; empty at the end."""
    why: str
