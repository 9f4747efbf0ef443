"""One place an endpoint is seen at, with what is known of the port: what homes and findings judge by."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.model import bounds
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.stay import Stay
from kiteroll.core.topology.roles import Topology
from kiteroll.core.tracking.switch_health import LATE_AFTER_INTERVALS

DEFAULT_AGEING = timedelta(seconds=300)
"""Recommended ageing time (IEEE 802.1Q table 8-6), for switches that do not report theirs."""

_LONGEST_AGEING = timedelta(hours=1)
"""What is waited for at most: a switch may be set to keep addresses for days, or for ever."""

_MANY = 5
"""Addresses that come to one port within an ageing time."""

_SETTLES_WITHIN = timedelta(seconds=45)
"""Neighbours announce themselves every 30 s (msgTxInterval, IEEE 802.1AB 9.2.5.7): before that, a port that
was an uplink a moment ago, or used to be one and came up again, may be one still."""

_CONFIRMED_AFTER = 1.5
"""Intervals: two readings later, however they jitter."""


def judged_ageing(reported: timedelta | None) -> timedelta:
    """The ageing time that is counted with, by the one the switch reports."""
    return min(reported or DEFAULT_AGEING, _LONGEST_AGEING)


@dataclass(frozen=True, slots=True)
class Sighting:
    stay: Stay
    leads_to: tuple[str, ...] = ()
    """Known switches behind the port."""
    uplink: bool = False
    """Whether the port counts as an uplink; of a stay that is over, whether it did then."""
    beyond: str = ""
    """A bridge behind the port that is not in the inventory."""
    address_count: int = 1
    """Addresses present on the port."""
    newcomers: int = 0
    """Of those, the ones learned within the last ageing time."""
    read_at: datetime | None = None
    """Last complete reading of the switch."""
    read_since: datetime | None = None
    """Since when complete readings of the switch come without a gap in which it could have been elsewhere;
    None when that is not known."""
    ageing: timedelta = DEFAULT_AGEING
    never_ages: bool = False
    """Whether the switch keeps whoever left: then a table says where he was, not where he is."""
    interval: timedelta | None = None
    """How often the switch is to be read; None when that is not known, or its readings are imported."""
    expected_every: timedelta | None = None
    """How often somebody is to bring a reading that is imported."""
    device: str = ""
    """The end device that announces itself at the port."""
    pair: str = ""
    """The pair of switches with one table that the switch is of."""
    area: str = ""
    """The one the switch is in: the same address in another area is another device."""

    @property
    def learned_lately(self) -> bool:
        """Whether it may rest on a single frame: an entry stays for one ageing time (IEEE 802.1Q 8.8.3),
        however often it is read. Before two readings have confirmed it, the switches next to it may not have
        been read since."""
        if self.interval is None or self.read_at is None:
            return False
        confirmed_after = max(_CONFIRMED_AFTER * self.interval, self.ageing)
        return self.read_at - self.stay.began_at < confirmed_after

    @property
    def came_with_many(self) -> bool:
        """Whether it was learned lately at a port where many others were: they may all be on their way to
        another switch, or circulate in a loop."""
        return self.learned_lately and self.newcomers >= _MANY

    def same_device(self, other: "Sighting") -> bool:
        """Whether both are cables of one device: a server that is connected twice is at one place. Two
        switches that share their tables each show who is at the other as well."""
        if self.pair and self.pair == other.pair and self.stay.place.switch != other.stay.place.switch:
            return True
        return bool(self.device) and self.device == other.device

    def late(self, now: datetime) -> bool:
        """Whether the switch has given no complete reading for three intervals: what is known of the place
        may be over."""
        every = self.interval or self.expected_every
        return (
            every is not None
            and self.read_at is not None
            and now - self.read_at > LATE_AFTER_INTERVALS * every
        )

    def read_anew_since(self, now: datetime) -> datetime | None:
        """When readings of the switch began again after a gap in which the stay went on; None when there was
        none, or none is known. Only the latest gap is known, which may be after `now`."""
        since = self.read_since
        return since if since is not None and self.stay.began_at < since <= now else None

    def outdated(self, now: datetime) -> bool:
        """Whether it was read so long ago that whoever was there counts as gone: three ageing times, as long
        as an address that its switch no longer shows keeps its stay."""
        return self.late(now) and self.read_at is not None and now - self.read_at > 3 * self.ageing

    @property
    def port(self) -> PortRef:
        return (self.stay.place.switch, self.stay.place.port)

    @property
    def open(self) -> bool:
        return self.stay.ended_at is None

    @property
    def present(self) -> bool:
        return self.open and self.stay.last_seen_at is None


def sighting(
    stay: Stay,
    topology: Topology,
    *,
    address_count: int = 1,
    newcomers: int = 0,
    read_at: datetime | None = None,
    read_since: datetime | None = None,
    ageing: timedelta | None = None,
    interval: timedelta | None = None,
    expected_every: timedelta | None = None,
) -> Sighting:
    port = (stay.place.switch, stay.place.port)
    role = topology.role(port)
    present = stay.ended_at is None and stay.last_seen_at is None
    until = topology.uplink_until(port)
    settling = (
        read_at is not None and until is not None and read_at - max(stay.began_at, until) < _SETTLES_WITHIN
    )
    return Sighting(
        stay,
        role.leads_to,
        role.is_uplink or (not present and topology.was_uplink(port, stay.began_at)) or settling,
        role.beyond,
        address_count,
        newcomers,
        read_at,
        read_since,
        judged_ageing(ageing),
        ageing is not None and ageing >= bounds.AGEING,
        interval,
        expected_every,
        topology.device_at(port),
        topology.pair_of(port[0]),
        topology.area_of(port[0]),
    )


def by_area(sightings: Iterable[Sighting]) -> list[list[Sighting]]:
    """Those of each area, in their order."""
    found: dict[str, list[Sighting]] = {}
    for one in sightings:
        found.setdefault(one.area, []).append(one)
    return list(found.values())


def both_present_beyond_ageing(one: Sighting, other: Sighting) -> bool:
    """Whether an address is really at both places at once, beyond what lingers after a move.

    The older place must still be in a reading taken later than the new learning plus the ageing
    time of its switch, and the newer place must be there at that time too. However short that ageing time is
    (a bridge shortens it when the topology changes, IEEE 802.1D 7.9.2), it must last until it can be seen
    where the ports lead.
    """
    if not (one.present and other.present):
        return False
    older, newer = sorted((one, other), key=lambda each: each.stay.resumed_at)
    learned_at = newer.stay.resumed_at
    if older.read_at is None or newer.read_at is None or older.never_ages:
        return False
    lasting = max(older.ageing, _SETTLES_WITHIN)
    return older.read_at > learned_at + lasting and newer.read_at >= learned_at
