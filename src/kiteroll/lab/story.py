"""The events of the demo at Tarn Ferries, printed as they happen."""

from collections.abc import Callable
from dataclasses import dataclass

from kiteroll.core.model.mac import MacAddress
from kiteroll.lab import tarn_ferries
from kiteroll.lab.world import World


@dataclass(frozen=True, slots=True)
class Event:
    at_s: float
    """Seconds after the story began."""
    text: str
    do: Callable[[World], None]


def _crew_laptop_to_quay(world: World) -> None:
    world.settle("laptop-1", ("quay-2", 18))


def _crew_laptop_back(world: World) -> None:
    world.settle("laptop-1", ("port-office", 13))


def _unplug_cradle(world: World) -> None:
    world.unplug(world.hosts["cradle-9"])


def _replug_cradle(world: World) -> None:
    world.settle("cradle-9", ("baggage-hall", 20))


def _cradle_home(world: World) -> None:
    world.settle("cradle-9", ("baggage-hall", 1))


def _restart_weighbridge(world: World) -> None:
    world.switches["weighbridge"].restart(world.now)


def _quay_3_silent(world: World) -> None:
    world.switches["quay-3"].answering = False


def _quay_3_answers(world: World) -> None:
    world.switches["quay-3"].answering = True


def _clone_kiosk(world: World) -> None:
    world.clone(world.hosts["kiosk-9"], world.hosts["kiosk-2"])
    world.settle("kiosk-9", ("checkin-west", 20))


def _kiosk_mended(world: World) -> None:
    kiosk = world.hosts["kiosk-9"]
    world.readdress(kiosk, tarn_ferries.own_address("kiosk-9"))
    world.settle("kiosk-9", ("ticket-hall", 9))


def _cradles_at_the_desk(world: World) -> None:
    for name in tarn_ferries.SPARE_CRADLES:
        world.settle(name, ("checkin-east", 6))


def _cradles_in_the_box(world: World) -> None:
    for name in tarn_ferries.SPARE_CRADLES:
        world.unplug(world.hosts[name])


def _visitor_comes(world: World) -> None:
    world.settle("visitor", ("quay-1", 15))


def _visitor_goes(world: World) -> None:
    world.unplug(world.hosts["visitor"])


def _boat_box_comes(world: World) -> None:
    world.settle("boat-box", tarn_ferries.GUARDED_BERTH)


def _boat_box_goes(world: World) -> None:
    world.unplug(world.hosts["boat-box"])


def _lost_laptop_comes(world: World) -> None:
    world.settle(tarn_ferries.LOST_LAPTOP, ("ticket-hall", 21))


def _lost_laptop_goes(world: World) -> None:
    world.unplug(world.hosts[tarn_ferries.LOST_LAPTOP])


def _laptop_exchanged(world: World) -> None:
    world.unplug(world.hosts[tarn_ferries.DESK_LAPTOP])
    world.settle(tarn_ferries.NEW_LAPTOP, tarn_ferries.WATCHED_DESK)


def _laptop_mended(world: World) -> None:
    world.unplug(world.hosts[tarn_ferries.NEW_LAPTOP])
    world.settle(tarn_ferries.DESK_LAPTOP, tarn_ferries.WATCHED_DESK)


def _loop_begins(world: World) -> None:
    world.loop("baggage-hall", (21, 22))


def _loop_pulled(world: World) -> None:
    world.unloop("baggage-hall")


def _crews_change(world: World) -> None:
    for name, port in (("laptop-2", 18), ("laptop-3", 19)):
        world.settle(name, ("workshop", port))
    for name, port in (("laptop-5", 18), ("laptop-6", 19)):
        world.settle(name, ("port-office", port))


def _crews_back(world: World) -> None:
    for name, at in _CREWS.items():
        world.settle(name, at)


def _scanner_to(switch: str, port: int) -> Callable[[World], None]:
    return lambda world: world.settle("cradle-17", (switch, port))


def _visitor_forges(world: World) -> None:
    """The visitor is back, and sends frames in the name of a switch: its port is to pass for an uplink."""
    world.settle("visitor", ("quay-1", 15))
    world.forge(world.hosts["visitor"], world.switches["workshop"].mac, every_s=5, seconds=100)


def _ring_opens(world: World) -> None:
    """The cable from the machine room breaks, and the spare one carries what it did."""
    world.cut((_QUAY, tarn_ferries.UPLINK))
    _shut_spare(world, shut=False)


def _ring_closes(world: World) -> None:
    upper, port, _ = tarn_ferries.ACCESS[_QUAY]
    world.join((upper, port), (_QUAY, tarn_ferries.UPLINK))
    _shut_spare(world, shut=True)


def _shut_spare(world: World, *, shut: bool) -> None:
    switch, port = tarn_ferries.RING[1]
    world.switches[switch].ports[port].blocked = shut
    world.change_topology()


def _speaker_hangs(world: World) -> None:
    """Its link stays up, and it says nothing any more."""
    world.hosts["speaker-1"].talking = False


def _speaker_speaks(world: World) -> None:
    world.hosts["speaker-1"].talking = True


_CREWS = {
    "laptop-2": ("port-office", 14),
    "laptop-3": ("port-office", 15),
    "laptop-5": ("workshop", 3),
    "laptop-6": ("workshop", 4),
}
"""Where they belong."""
_QUAY = tarn_ferries.RING[1][0]

EVENTS = (
    Event(45, "a crew laptop leaves the port office and is plugged in at quay cabin 2", _crew_laptop_to_quay),
    Event(90, "a scanner cradle in the baggage hall is unplugged", _unplug_cradle),
    Event(120, "... and plugged in again, at another port", _replug_cradle),
    Event(180, "the switch at the weighbridge restarts", _restart_weighbridge),
    Event(205, "a laptop that was reported lost is plugged in in the ticket hall", _lost_laptop_comes),
    Event(240, "the switch at quay cabin 3 stops answering", _quay_3_silent),
    Event(280, "the lost laptop is unplugged", _lost_laptop_goes),
    Event(300, "a kiosk is set up at check-in with a copy of another one's address", _clone_kiosk),
    Event(330, "the switch at quay cabin 3 answers again", _quay_3_answers),
    Event(360, "a small switch with three more cradles on it is put at a desk", _cradles_at_the_desk),
    Event(400, "somebody's own device is plugged in at quay cabin 1, among the berth lights", _visitor_comes),
    Event(480, "the visitor at quay cabin 1 leaves", _visitor_goes),
    Event(500, "the copied kiosk gets an address of its own again", _kiosk_mended),
    Event(520, "the small switch at the check-in desk is taken away", _cradles_in_the_box),
    Event(560, "somebody joins two sockets in the baggage hall: a loop", _loop_begins),
    Event(670, "the cable of the loop is pulled", _loop_pulled),
    Event(690, "a tannoy speaker in the ticket hall hangs: link up, not a word", _speaker_hangs),
    Event(750, "the laptop at a desk in the port office is exchanged for a new one", _laptop_exchanged),
    Event(790, "a hand scanner roams from the workshop to check-in", _scanner_to("checkin-west", 21)),
    Event(800, "a boat's crew plugs a box of theirs in at quay cabin 1", _boat_box_comes),
    Event(930, "the old laptop is back at its desk", _laptop_mended),
    Event(1010, "the boat sails, and takes its box along", _boat_box_goes),
    Event(1020, "the visitor is back at quay cabin 1, and forges frames of a switch", _visitor_forges),
    Event(1110, "the hand scanner roams on to the baggage hall", _scanner_to("baggage-hall", 18)),
    Event(1150, "the visitor leaves again", _visitor_goes),
    Event(1200, "the cable to quay cabin 3 breaks, and the ring opens the other way", _ring_opens),
    Event(1320, "the cable to quay cabin 3 is repaired, and the ring closes", _ring_closes),
    Event(1400, "the crews of port office and workshop change places", _crews_change),
    Event(1500, "the tannoy speaker speaks again", _speaker_speaks),
    Event(1620, "the crews change back", _crews_back),
    Event(1640, "the hand scanner comes back to the workshop", _scanner_to("workshop", 5)),
    Event(1700, "the crew laptop comes back to the port office", _crew_laptop_back),
    Event(1760, "the cradle goes back to its own port", _cradle_home),
)
LENGTH_S = 1800.0
"""The story begins again after this."""


def schedule(world: World, report: Callable[[str], None], start_s: float = 0.0) -> None:
    """Queue the story in the world, from its present instant on, over and over. With `start_s` it
    begins in the middle; what was before comes when it begins again."""

    def run(event: Event) -> None:
        event.do(world)
        report(event.text)
        world.after(LENGTH_S, lambda: run(event))

    for event in EVENTS:
        wait_s = (event.at_s - start_s) % LENGTH_S
        world.after(wait_s, lambda event=event: run(event))  # type: ignore[misc]


_MOVERS = ("laptop-1", "cradle-9", "cradle-17", *_CREWS)
_OTHERS = ("kiosk-2", tarn_ferries.NEW_LAPTOP, tarn_ferries.LOST_LAPTOP)
_NAMES = {tarn_ferries.own_address(name): name for name in (*_MOVERS, *_OTHERS)}
_NAMES[tarn_ferries.VISITOR] = "visitor"
_NAMES[tarn_ferries.BOAT_BOX] = "boat-box"
_RING_SWITCHES = frozenset(
    {
        *(switch for switch, _ in tarn_ferries.RING),
        *(tarn_ferries.ACCESS[switch][0] for switch, _ in tarn_ferries.RING),
    }
)
FINDINGS = frozenset(
    {
        *(("moved", name) for name in _MOVERS),
        ("switch-restarted", "weighbridge"),
        ("doubled-address", "kiosk-2"),
        ("overfull-port", "checkin-east"),
        ("stranger", "visitor"),
        ("stranger", "boat-box"),
        ("stranger", tarn_ferries.NEW_LAPTOP),
        ("barred-address", tarn_ferries.LOST_LAPTOP),
        ("uplink-claimed", "quay-1"),
        ("loop", "baggage-hall"),
        ("topology-change", "the ring"),
    }
)
"""What the story is to yield: kinds of findings, and the host or the switch each is about; nothing else, but
for parts of these."""
LIVE_FINDINGS = frozenset(
    {("switch-not-read", "quay-3"), ("table-filling", "quay-2"), ("silent-port", "ticket-hall")}
)
"""The same of what only a service that reads agents can see."""


def subject_name(kind: str, mac: MacAddress | None, switch: str) -> str:
    """Host or switch that a finding is about; paths that change show at any switch of the ring first."""
    if kind == "topology-change" and switch in _RING_SWITCHES:
        return "the ring"
    return switch if mac is None else _NAMES.get(mac, str(mac))
