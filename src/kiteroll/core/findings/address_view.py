"""The stays of one address, arranged for the three kinds that judge it: moved, flapping, duplicate.

On one switch an address is at one port a VLAN, so every jump ends a stay there and begins another.
The switch with the most such jumps shows how often the address jumped; the access ports it was
learned at show between which places.
"""

from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import pairwise

from kiteroll.core.findings.evidence import Jumped
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.sighting import Sighting, both_present_beyond_ageing


@dataclass(frozen=True, slots=True)
class PortFacts:
    """What is known of an access port besides the address in question."""

    changed_at: datetime | None = None
    """When its link last went up or down; None: not since it is known."""
    steady_since: datetime | None = None
    """Since when its link is known to be as it is."""
    others: frozenset[MacAddress] = frozenset()
    """Other addresses present there."""

    def changed_since(self, since: datetime) -> bool:
        return self.changed_at is not None and self.changed_at > since

    def steady_from(self, since: datetime) -> bool:
        """Whether its link is known not to have changed from then on."""
        return self.steady_since is not None and self.steady_since <= since


PortFactsOf = Callable[[PortRef], PortFacts]
Joined = Callable[[str, str], bool]
"""Whether two switches are known to be of one network."""


@dataclass(frozen=True, slots=True)
class Jump:
    at: datetime
    origin: Sighting
    to: Sighting

    def evidence(self, mac: MacAddress) -> Jumped:
        here, there = self.origin.stay.place, self.to.stay.place
        return Jumped(self.at, mac, there.switch, here.port, there.port)


@dataclass(frozen=True, slots=True, kw_only=True)
class AddressView:
    mac: MacAddress
    area: str
    access: tuple[Sighting, ...]
    """At access ports, in order of learning."""
    jumps: tuple[Jump, ...]
    """On the switch that saw most of them, within the window, in order of time."""
    ports: tuple[PortRef, ...]
    """Access ports it was at within the window, in order of their latest learning."""
    at_once: tuple[Sighting, Sighting] | None
    """Two access places it is really at, beyond what lingers after a move."""
    facts: PortFactsOf
    joined: Joined
    thresholds: Thresholds
    since: datetime
    """The window begins."""
    now: datetime


def view_of(
    mac: MacAddress,
    sightings: Sequence[Sighting],
    facts: PortFactsOf,
    joined: Joined,
    thresholds: Thresholds,
    now: datetime,
) -> AddressView:
    """`sightings`: open stays, and those that ended within the window, of one area."""
    since = now - thresholds.flap_window
    access = tuple(sorted((one for one in sightings if not one.uplink), key=lambda one: one.stay.began_at))
    ports = tuple(_ports(access, since))
    return AddressView(
        mac=mac,
        area=next((one.area for one in sightings), ""),
        access=access,
        jumps=tuple(_jumps(sightings, since, _second_port_at(access, since))),
        ports=ports,
        at_once=_at_once(access, joined),
        facts=facts,
        joined=joined,
        thresholds=thresholds,
        since=since,
        now=now,
    )


def _jumps(sightings: Sequence[Sighting], since: datetime, uplinks_since: datetime | None) -> list[Jump]:
    """`uplinks_since`: from when on those between uplinks count too; while it was at one access port, they
    say that the path to it changed."""
    tables: dict[tuple[str, int | None], list[Sighting]] = defaultdict(list)
    for one in sightings:
        tables[one.stay.place.switch, one.stay.place.vlan].append(one)
    found: list[list[Jump]] = []
    for stays in tables.values():
        ordered = sorted(stays, key=lambda one: (one.stay.began_at, one.stay.id))
        found.append(
            [
                Jump(later.stay.began_at, earlier, later)
                for earlier, later in pairwise(ordered)
                if later.stay.began_at >= since
                and earlier.port != later.port
                and (
                    not (earlier.uplink and later.uplink)
                    or (uplinks_since is not None and later.stay.began_at >= uplinks_since)
                )
            ]
        )
    return max(found, key=len, default=[])


def _second_port_at(access: Sequence[Sighting], since: datetime) -> datetime | None:
    """When it first was at another access port than the one before, as switches on the way may have shown it;
    None when it was at one only."""
    within = [one for one in access if one.stay.ended_at is None or one.stay.ended_at >= since]
    for one in within:
        if one.port != within[0].port:
            return one.stay.began_at - (one.interval or timedelta(0))
    return None


def _ports(access: Sequence[Sighting], since: datetime) -> list[PortRef]:
    latest: dict[PortRef, datetime] = {}
    for one in access:
        if one.open or (one.stay.ended_at is not None and one.stay.ended_at >= since):
            latest[one.port] = one.stay.began_at
    return sorted(latest, key=lambda port: latest[port])


def _at_once(access: Sequence[Sighting], joined: Joined) -> tuple[Sighting, Sighting] | None:
    """One address in two VLANs, or in two networks, is legitimate: each has a filtering database of its own
    (IEEE 802.1Q clause 8.8)."""
    present = [one for one in access if one.present]
    for number, one in enumerate(present):
        for other in present[number + 1 :]:
            if (
                one.port != other.port
                and not one.same_device(other)
                and _vlan_in_common(one, other)
                and joined(one.port[0], other.port[0])
                and both_present_beyond_ageing(one, other)
            ):
                return one, other
    return None


def _vlan_in_common(one: Sighting, other: Sighting) -> bool:
    """A switch that reports no VLAN may mean any."""
    here, there = one.stay.place.vlan, other.stay.place.vlan
    return here is None or there is None or here == there
