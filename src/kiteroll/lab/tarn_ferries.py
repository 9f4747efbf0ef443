"""The demo network: the terminal of Tarn Ferries, a ferry company that does not exist.

Two core switches and ten access switches in a tree with one ring, about 150 endpoints. All addresses are
locally administered ones, so they can belong to nobody's real product.
"""

from collections.abc import Mapping
from dataclasses import dataclass

from kiteroll.core.model.mac import MacAddress
from kiteroll.lab.switch import LabPort, LabSwitch
from kiteroll.lab.traits import PLAIN, Traits
from kiteroll.lab.world import Host, World

PORTS = 24
UPLINK = 24
VLANS = {10: "office", 20: "kiosk", 30: "quay", 40: "voice", 50: "scan", 99: "manage"}
MANAGE = 99
ALL_TAGGED = frozenset(VLANS)

ACCESS = {
    "ticket-hall": ("core-1", 1, "Ticket hall, ground floor"),
    "checkin-east": ("core-1", 2, "Check-in lanes 1 to 4"),
    "checkin-west": ("core-1", 3, "Check-in lanes 5 to 8"),
    "baggage-hall": ("core-1", 4, "Baggage hall"),
    "port-office": ("core-1", 5, "Port office, first floor"),
    "quay-1": ("core-2", 1, "Quay cabin 1"),
    "quay-2": ("core-2", 2, "Quay cabin 2"),
    "quay-3": ("core-2", 3, "Quay cabin 3"),
    "weighbridge": ("core-2", 4, "Weighbridge hut"),
    "workshop": ("weighbridge", 23, "Workshop, behind the weighbridge"),
}
"""Switch to the switch and port it is connected to, and its location."""
RING = (("quay-2", 23), ("quay-3", 23))
"""A cable between two quays besides, which spanning tree keeps shut at the second end."""


@dataclass(frozen=True, slots=True)
class Kind:
    name: str
    label: str
    prefix: int
    """First three octets, of a maker that does not exist."""
    vlan: int
    every_s: float
    maker: str
    """One that does not exist."""


KIOSK = Kind("kiosk", "Ticket kiosk", 0x021A01, 20, 20, "Lowmere Kiosk Works")
GATE = Kind("gate", "Gate reader", 0x021A02, 20, 15, "Harrelgate Readers")
SCALE = Kind("scale", "Weighbridge controller", 0x021A03, 30, 10, "Tunstone Weighing")
SPEAKER = Kind("speaker", "Tannoy speaker", 0x021A04, 40, 60, "Oakhollow Sound")
LIGHT = Kind("light", "Berth light", 0x021A05, 30, 45, "Berthlamp and Daughters")
WIND = Kind("wind", "Wind gauge", 0x021A06, 30, 10, "Cairnvane Instruments")
CRADLE = Kind("cradle", "Scanner cradle", 0x021A07, 50, 30, "Quillscan Cradles")
PHONE = Kind("phone", "Desk phone", 0x021A08, 40, 40, "Fellbeck Telephones")
DESK = Kind("desk", "Office computer", 0x021A09, 10, 25, "Rushmire Computing")
LAPTOP = Kind("laptop", "Crew laptop", 0x021A0A, 10, 15, "Rushmire Portables")
SERVER = Kind("server", "Server", 0x021A0B, 10, 5, "Stonewater Machines")
SWITCH_PREFIX = 0x021AF0
KINDS = (KIOSK, GATE, SCALE, SPEAKER, LIGHT, WIND, CRADLE, PHONE, DESK, LAPTOP, SERVER)
MAKERS = {f"{kind.prefix:06x}": kind.maker for kind in KINDS} | {f"{SWITCH_PREFIX:06x}": "Tarnside Switching"}
"""What the demo writes into its own list of prefixes."""

TRAITS: dict[str, Traits] = {
    "core-2": Traits(loss=0.02),
    "checkin-east": Traits(database_offset=1000, bridge_port_offset=64),
    "checkin-west": Traits(most_bindings=20),
    "baggage-hall": Traits(status_column=False, time_filter_marks=50),
    "port-office": Traits(length_in_index=True, old_table=False),
    "quay-2": Traits(delay_s=0.02),
    "weighbridge": Traits(v3=True),
    "workshop": Traits(views="tarn-read@{vlan}", vlan_table=False),
}
"""How they differ, as switches of different makers do; the others are plain."""

TABLE_SIZES = {"quay-2": 96}
"""Addresses a table holds: this one is nearly full."""
SITES = {"core-1": "Machine rooms", "core-2": "Machine rooms", "workshop": "Yard", "weighbridge": "Yard"}
"""Where a switch stands, as the demo writes it into the inventory; the others: see `site_of`."""

SEATS = {"access": 2}
"""Endpoints a port may carry, by group: a desk phone and the computer behind it."""
WATCHED = {"quays": (LIGHT, WIND, SPEAKER, PHONE, DESK, LAPTOP)}
"""Groups whose ports are watched, and what is enrolled there, each kind in its VLAN: the quays are
open to the public."""
WATCHED_DESK = ("port-office", 16)
"""A desk in the port office that is watched for one laptop alone."""
DESK_LAPTOP, NEW_LAPTOP = "laptop-4", "laptop-7"
"""The one that is enrolled there, and the one it is exchanged for."""
CREW_ROOM = "workshop"
"""Where an enrolment window is open."""
LOST_LAPTOP = "laptop-9"
"""It was reported lost, and is barred."""
SPARE_CRADLES = ("cradle-19", "cradle-20", "cradle-21")
"""In a box at check-in until the story takes them out."""
VISITOR = MacAddress(0xDA3F_1C77_52E8)
"""An address a visitor's device made up."""
BOAT_BOX = MacAddress(0xDA52_9E04_7B16)
"""Of a box that a boat's crew plugs in at a berth."""
GUARDED_BERTH = ("quay-1", 17)
"""A port at which a stranger is reason to propose closing it."""

PLAN: dict[str, tuple[tuple[Kind, int], ...]] = {
    "ticket-hall": ((KIOSK, 12), (SPEAKER, 3), (PHONE, 2)),
    "checkin-east": ((GATE, 5), (CRADLE, 4), (PHONE, 4), (SPEAKER, 1)),
    "checkin-west": ((GATE, 5), (CRADLE, 4), (PHONE, 4), (SPEAKER, 1)),
    "baggage-hall": ((CRADLE, 8), (SPEAKER, 3), (PHONE, 1)),
    "port-office": ((PHONE, 12), (LAPTOP, 4)),
    "quay-1": ((LIGHT, 6), (WIND, 2), (SPEAKER, 2), (PHONE, 1)),
    "quay-2": ((LIGHT, 6), (WIND, 2), (SPEAKER, 2), (PHONE, 1)),
    "quay-3": ((LIGHT, 6), (WIND, 1), (SPEAKER, 2), (PHONE, 1)),
    "weighbridge": ((SCALE, 3), (GATE, 2), (PHONE, 1)),
    "workshop": ((PHONE, 2), (LAPTOP, 2), (CRADLE, 2)),
}
"""What is connected to each access switch, from port 1 upwards. Behind every phone is a computer."""


def build(seed: int = 1, traits: Mapping[str, Traits] = TRAITS) -> World:
    """The network at peace, with nothing learned yet. Switches without `traits` are plain."""
    world = World(seed)
    _switches(world, traits)
    numbers: dict[str, int] = {}
    servers = _servers(world, numbers)
    for switch_name, kinds in PLAN.items():
        port = 0
        for kind, amount in kinds:
            for _ in range(amount):
                port += 1
                _host(world, kind, (switch_name, port), numbers, servers)
                if kind is PHONE:
                    _host(world, DESK, (switch_name, port), numbers, servers)
    _give_addresses(world)
    for name in SPARE_CRADLES:
        _unplugged(world, name, own_address(name), CRADLE.vlan, servers)
    for name in (NEW_LAPTOP, LOST_LAPTOP):
        _unplugged(world, name, own_address(name), LAPTOP.vlan, servers)
    _unplugged(world, "visitor", VISITOR, LIGHT.vlan, servers)
    _unplugged(world, "boat-box", BOAT_BOX, LIGHT.vlan, servers)
    return world


def site_of(name: str) -> str:
    return SITES.get(name) or ("Quays" if name.startswith("quay") else "Terminal")


def groups_of(name: str) -> list[str]:
    if name.startswith("core"):
        return ["core"]
    return ["access", "quays"] if name.startswith("quay") else ["access"]


def own_address(host: str) -> MacAddress:
    """The address a host of that name was made with."""
    name, _, text = host.rpartition("-")
    kind, number = next(kind for kind in KINDS if kind.name == name), int(text)
    # Spread over the low octets: last four digits of two devices then rarely look alike.
    low = (number * 0x9E37 + kind.prefix * 0x3B) & 0xFFFF
    return MacAddress(kind.prefix << 24 | number << 16 | low)


def _give_addresses(world: World) -> None:
    """core-1 routes: it knows an IPv4 address of everything but switches, and an IPv6 one of servers."""
    cache = world.switches["core-1"].neighbour_cache
    for number, host in enumerate(world.hosts.values()):
        if host.kind != "switch":
            cache[f"10.{host.vlan}.{number // 200}.{number % 200 + 10}"] = host.mac
        if host.kind == "server":
            cache[f"fd77:{host.vlan:x}::{number + 1:x}"] = host.mac


def _switches(world: World, traits: Mapping[str, Traits]) -> None:
    names = ["core-1", "core-2", *ACCESS]
    places = {"core-1": "Machine room A", "core-2": "Machine room B"}
    places |= {name: place for name, (_, _, place) in ACCESS.items()}
    for number, name in enumerate(names, start=1):
        mac = MacAddress(SWITCH_PREFIX << 24 | number << 8)
        switch = LabSwitch(
            name=name,
            mac=mac,
            address=f"127.77.0.{number}",
            location=places[name],
            vlans=dict(VLANS),
            booted_at=-86400.0 * (20 + number),
            traits=traits.get(name, PLAIN),
            table_size=TABLE_SIZES.get(name),
        )
        switch.ports = {at: LabPort(number=at, name=f"p{at}") for at in range(1, PORTS + 1)}
        world.add_switch(switch)
    _trunk(world, ("core-1", UPLINK), ("core-2", UPLINK))
    for name, (upper, port, _) in ACCESS.items():
        _trunk(world, (upper, port), (name, UPLINK))
    _trunk(world, *RING)
    world.switches[RING[1][0]].ports[RING[1][1]].blocked = True
    station = _manager(world)
    for switch in world.switches.values():
        _agent_as_host(world, switch, station)


def _trunk(world: World, upper: tuple[str, int], lower: tuple[str, int]) -> None:
    for here, there in ((upper, lower), (lower, upper)):
        port = world.switches[here[0]].ports[here[1]]
        port.pvid, port.tagged = 1, ALL_TAGGED
        port.alias = f"to {there[0]}"
        port.speed_mbps = 10_000
    world.cable(upper, lower)


def _manager(world: World) -> Host:
    """The machine that reads the switches, and so makes them talk."""
    at = ("core-1", 20)
    port = world.switches[at[0]].ports[at[1]]
    port.pvid, port.alias = MANAGE, "management station"
    mac = MacAddress(SERVER.prefix << 24 | 0xFE)
    return world.add_host(
        Host(name="station", kind="server", mac=mac, vlan=MANAGE, every_s=20, at=at, broadcasts=1.0)
    )


def _agent_as_host(world: World, switch: LabSwitch, station: Host) -> None:
    """A switch's own address talks in the management VLAN; it enters through an inner port."""
    inner = LabPort(number=1000, name="cpu", pvid=MANAGE, cabled=True, inner=True)
    switch.ports[inner.number] = inner
    world.add_host(
        Host(
            name=f"{switch.name}-cpu",
            kind="switch",
            mac=switch.mac,
            vlan=MANAGE,
            every_s=30,
            peer=station.mac,
            at=(switch.name, inner.number),
        )
    )


def _servers(world: World, numbers: dict[str, int]) -> dict[int, MacAddress]:
    """One server a VLAN, in the machine rooms: whom everything talks to."""
    servers: dict[int, MacAddress] = {}
    for offset, vlan in enumerate(vlan for vlan in VLANS if vlan != MANAGE):
        at = ("core-1" if offset % 2 == 0 else "core-2", 10 + offset)
        number = numbers["server"] = numbers.get("server", 0) + 1
        mac = MacAddress(SERVER.prefix << 24 | number)
        port = world.switches[at[0]].ports[at[1]]
        port.pvid, port.alias = vlan, f"Server {VLANS[vlan]}"
        world.add_host(
            Host(
                name=f"server-{VLANS[vlan]}",
                kind="server",
                mac=mac,
                vlan=vlan,
                every_s=5,
                at=at,
                broadcasts=0.2,
                peer=mac,
            )
        )
        servers[vlan] = mac
    return servers


def _unplugged(world: World, name: str, mac: MacAddress, vlan: int, servers: dict[int, MacAddress]) -> None:
    world.add_host(Host(name=name, kind="spare", mac=mac, vlan=vlan, every_s=10, peer=servers[vlan]))


def _host(
    world: World, kind: Kind, at: tuple[str, int], numbers: dict[str, int], servers: dict[int, MacAddress]
) -> None:
    number = numbers[kind.name] = numbers.get(kind.name, 0) + 1
    mac = own_address(f"{kind.name}-{number}")
    port = world.switches[at[0]].ports[at[1]]
    if kind is PHONE:
        port.tagged = frozenset({kind.vlan})
    else:
        port.pvid = kind.vlan
    if not port.alias:
        port.alias = f"{kind.label} {number}"
    world.add_host(
        Host(
            name=f"{kind.name}-{number}",
            kind=kind.name,
            mac=mac,
            vlan=kind.vlan,
            every_s=kind.every_s,
            peer=servers[kind.vlan],
            at=at,
        )
    )
