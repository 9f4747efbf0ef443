"""Some days of Tarn Ferries before one starts to look: readings with their own times, from a world that
sleeps between them."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import pairwise

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Reading
from kiteroll.lab import tarn_ferries
from kiteroll.lab.readings import reading_of
from kiteroll.lab.site import BOOTED_ONCE, SETTLE_S
from kiteroll.lab.switch import LabSwitch
from kiteroll.lab.world import World

EVERY = timedelta(hours=2)
LATELY, EVERY_LATELY = timedelta(hours=4), timedelta(minutes=15)
"""In the last hours it was read more often: of any instant in them it is known who was where."""
_AWAKE_S = 90.0
"""World seconds lived before each round of readings: everything talks once at least, nearly."""
_LAST = timedelta(minutes=3)
"""How long before now the last round is: the first real readings follow it."""
_OLD_KIOSK = MacAddress(0x021A01_5C0B17)


@dataclass(frozen=True, slots=True)
class Habit:
    """What happens at an hour of each day (or of one day before today), UTC."""

    hour: int
    do: Callable[[World], None]
    days_ago: int | None = None


def _plug(name: str, switch: str, port: int) -> Callable[[World], None]:
    def do(world: World) -> None:
        _forget(world, name)
        world.settle(name, (switch, port))

    return do


def _unplug(name: str) -> Callable[[World], None]:
    def do(world: World) -> None:
        _forget(world, name)
        world.unplug(world.hosts[name])

    return do


def _forget(world: World, name: str) -> None:
    """Switches far away age out what they hold of a host that went; the world sleeps through those hours."""
    mac = world.hosts[name].mac
    for switch in world.switches.values():
        for key in [key for key in switch.fdb if key[1] == mac]:
            del switch.fdb[key]


def _exchange_kiosk(world: World) -> None:
    _forget(world, "kiosk-5")
    world.readdress(world.hosts["kiosk-5"], tarn_ferries.own_address("kiosk-5"))


HABITS = (
    # The crew takes its laptops home, and one of them took its to the quay over midday.
    *(Habit(18, _unplug(f"laptop-{number}")) for number in (1, 2, 3)),
    *(Habit(8, _plug(f"laptop-{number}", "port-office", 12 + number)) for number in (1, 2, 3)),
    *(Habit(11, _plug("laptop-2", "quay-2", 17), days_ago=day) for day in (1, 2)),
    *(Habit(14, _plug("laptop-2", "port-office", 14), days_ago=day) for day in (1, 2)),
    Habit(10, _exchange_kiosk, days_ago=2),
    Habit(10, _plug("cradle-12", "baggage-hall", 19), days_ago=1),
    Habit(16, _plug("cradle-12", "baggage-hall", 4), days_ago=1),
)


def past_rounds(now: datetime, days: int) -> Iterator[list[Reading]]:
    """Rounds of readings of the days before `now`, earliest first; at the end all is as the demo
    begins."""
    world = tarn_ferries.build(traits={})
    world.readdress(world.hosts["kiosk-5"], _OLD_KIOSK)
    world.advance(SETTLE_S)
    begins = now - timedelta(days=days)
    instants = _instants(begins, now - _LAST)
    for before, at in pairwise((begins, *instants)):
        if before is not begins:
            world.sleep((at - before).total_seconds() - _AWAKE_S)
        _live(world, before, at, now)
        if at == instants[-1]:
            for name in ("laptop-1", "laptop-2", "laptop-3"):
                _plug(name, "port-office", 12 + int(name[-1]))(world)
            _exchange_kiosk(world)
        world.advance(world.now + _AWAKE_S)
        yield [_read(world, switch, at) for switch in world.switches.values()]


def _instants(begins: datetime, last: datetime) -> list[datetime]:
    """When it is read, earliest first, so that the last time is `last`."""
    lately = [last - EVERY_LATELY * number for number in range(LATELY // EVERY_LATELY)]
    before = last - LATELY
    earlier = [before - EVERY * number for number in range((before - begins) // EVERY + 1)]
    return sorted(earlier + lately)


def _live(world: World, since: datetime, until: datetime, now: datetime) -> None:
    """Do what falls into [since, until), in order of time."""
    due: list[tuple[datetime, int]] = []
    for number, habit in enumerate(HABITS):
        for day in range((until - since).days + 2):
            midnight = (since + timedelta(days=day)).replace(hour=0, minute=0, second=0, microsecond=0)
            at = midnight + timedelta(hours=habit.hour)
            on_its_day = habit.days_ago is None or (now.date() - at.date()).days == habit.days_ago
            if since <= at < until and on_its_day:
                due.append((at, number))
    for _, number in sorted(due):
        HABITS[number].do(world)


def _read(world: World, switch: LabSwitch, at: datetime) -> Reading:
    # Up as the site of the demo counts it, so that its first reading shows no restart; the world sleeps
    # between readings, so its own times say nothing of links.
    up_s = SETTLE_S - switch.booted_at + (at - BOOTED_ONCE).total_seconds()
    return reading_of(world, switch, at, up_s=up_s, links=False)
