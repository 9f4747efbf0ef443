"""Loop: frames come back to a switch at a port where their senders are not.

A bridge learns the sender of every frame it receives at the port it came in (IEEE 802.1Q clause 8.7). Where
frames circulate, addresses of many ports are pulled to the port they come back at, and their own next frame
pulls them back home: that, and not jumping as such, is what a loop looks like. Devices that change places go
one way; those that are carried over and back are of one port.
"""

from collections import Counter, defaultdict
from collections.abc import Collection, Container, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from kiteroll.core.findings.bursts import Step
from kiteroll.core.findings.evidence import Evidence, Jumped, ManyJumped, TopologyChanged, in_order
from kiteroll.core.findings.finding import (
    MAX_NAMED,
    Cause,
    Details,
    Detection,
    FindingKind,
    Severity,
    Subject,
)
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.roles import Topology

INFO = KindInfo(
    kind=FindingKind.LOOP,
    thresholds=("loop_addresses", "loop_window"),
    goes_on_unseen=True,
    # Addresses find their ports again one by one: that is still part of it.
    clear_factor=2,
    # Of addresses that jumped themselves, see `lifecycle`: who does not belong to a port is no less a stranger.
    explains=frozenset(
        {
            FindingKind.FLAPPING,
            FindingKind.DUPLICATE,
            FindingKind.MOVED,
            FindingKind.MOVED_TOGETHER,
            FindingKind.TOPOLOGY_CHANGE,
            FindingKind.FLOOD,
            FindingKind.TABLE_FILLING,
            FindingKind.IP_CONFLICT,
            FindingKind.UPLINK_CLAIMED,
            FindingKind.OVERFULL,
        }
    ),
    help=KindHelp(
        title="A loop",
        why="Broadcasts circulate endlessly. The whole VLAN slows down or stands still.",
        evidence="Within minutes, addresses of several ports of one switch are learned at one and the same other "
        "port and at their own again; or many jump to and fro between two. Often the count of "
        "spanning-tree changes rises too.",
        action="Pull the cable at one of the ports named first, then see where it leads: two sockets joined by a "
        "cable, or a small switch with two cables. When the jumps stop, the finding shows since when it is quiet.",
        fewer="Switch on spanning tree, or loop protection, on access ports.",
    ),
)
_OTHER_PORTS = 3
"""Ports of their own that pulled addresses must be of."""
_SHARE = 5
"""One in so many of the switch's addresses must be pulled to an uplink."""
_JUMPS = 3
"""Jumps of each address between two access ports."""
_SHOWN = 5
"""Jumps shown as evidence at a time."""

_AT_ONCE = 4
"""Addresses that are pulled between two readings: what circulates pulls many, clients that roam come one by
one."""
_MOMENT_S = 20.0
_SHARE_AGAINST = 10
"""One in so many jumps goes against the others at least, where frames circulate."""


@dataclass(frozen=True, slots=True, kw_only=True)
class LoopSigns:
    """What one switch shows of a loop."""

    switch: str
    weak: bool = False
    """Enough to be part of a loop that is known, not to be one."""
    ports: tuple[str, ...]
    """Where addresses are pulled to, the most first; then, where it is between two ports, the other one."""
    macs: frozenset[MacAddress]
    """Those that show it."""
    touched: frozenset[MacAddress]
    """All that were at one of the ports meanwhile, once or more."""
    jumps: tuple[Step, ...]
    """Of addresses that show it, in order of time."""

    @property
    def places(self) -> frozenset[PortRef]:
        """Every port at which it shows."""
        return frozenset((self.switch, port) for jump in self.jumps for port in (jump.origin, jump.to))

    @property
    def first_at(self) -> datetime:
        return self.jumps[0].at

    @property
    def last_at(self) -> datetime:
        return self.jumps[-1].at


def signs(
    switch: str,
    steps: Sequence[Step],
    topology: Topology,
    thresholds: Thresholds,
    *,
    present: int = 0,
    left_out: Collection[str] = (),
    known: bool = False,
) -> LoopSigns | None:
    """`steps`: of the last minutes on this switch, which has `present` addresses. `left_out`: ports whose link
    changed meanwhile: whoever is there was cut off, and comes back. `known`: a loop shows already, here or
    elsewhere; then weak signs are enough to be part of it."""
    routes = _routes(step for step in steps if step.origin not in left_out and step.to not in left_out)
    pulled = _pulled_and_back(routes)
    found: dict[tuple[str, ...], set[MacAddress]] = {}
    weak: dict[tuple[str, ...], set[MacAddress]] = {}
    for port, homes in pulled.items():
        enough = thresholds.loop_addresses
        if topology.is_uplink((switch, port)):
            # Whatever jumps in the network jumps at an uplink; a loop behind it pulls whoever talks.
            enough = max(enough, present // _SHARE)
        if _are_pulled(homes, enough, steps, port):
            found[port,] = set(homes)
        # A tree that changes makes addresses go to another uplink and back.
        at_access = {mac: home for mac, home in homes.items() if not topology.is_uplink((switch, home))}
        if known and _are_pulled(at_access, thresholds.loop_addresses, steps, port):
            weak[port,] = set(at_access)
    began_at = min((step.at for step in steps), default=None)
    for pair, macs in _to_and_fro(steps, left_out).items():
        # Between two uplinks it is a tree that changes; but a port passes for one while a switch's own address
        # circulates.
        between_uplinks = began_at is not None and all(
            topology.uplink_before((switch, one), began_at) for one in pair
        )
        if len(macs) >= thresholds.loop_addresses and not between_uplinks:
            found[pair] = macs
    only_weak = not found
    found = weak | found
    if not found:
        return None
    ordered = sorted(found, key=lambda ports: (-len(found[ports]), ports))
    jumped = frozenset(mac for macs in found.values() for mac in macs)
    pulling = tuple(dict.fromkeys(port for ports in ordered for port in ports))
    return LoopSigns(
        switch=switch,
        weak=only_weak,
        ports=pulling,
        macs=jumped,
        touched=jumped
        | {step.mac for step in steps if step.origin and (step.origin in pulling or step.to in pulling)},
        jumps=tuple(
            sorted((step for step in steps if step.origin and step.mac in jumped), key=lambda one: one.at)
        ),
    )


def detect(
    found: LoopSigns,
    named: Collection[MacAddress],
    ports: Collection[PortRef],
    *,
    topology_changed: bool,
    summarise: bool,
    now: datetime,
    area: str = "",
) -> Detection:
    """`named`: addresses that it touched since it began; `ports`: where it showed, on any switch; `summarise`:
    whether to count the addresses as a piece of evidence this time (probes come many a second while a loop
    lasts); `now`: when it showed last, on any switch; `area`: the one it is in."""
    switch, pulling = found.switch, found.ports[:2]
    evidence: list[Evidence] = [
        Jumped(step.at, step.mac, switch, step.origin, step.to) for step in found.jumps[-_SHOWN:]
    ]
    if summarise:
        evidence.append(ManyJumped(now, len(found.macs), pulling))
    if topology_changed:
        evidence.append(TopologyChanged(now))
    return Detection(
        kind=FindingKind.LOOP,
        severity=Severity.SERIOUS,
        subject=Subject(switch=switch, area=area),
        cause=Cause.SECOND_CABLE,
        details=Details(
            ports=tuple((switch, port) for port in pulling),
            macs=tuple(sorted(named)[:MAX_NAMED]),
            count=len(found.macs),
        ),
        evidence=in_order(evidence),
        first_at=found.first_at,
        last_at=now,
        ports=frozenset(ports),
    )


def _routes(steps: Iterable[Step]) -> dict[MacAddress, list[str]]:
    """Ports each address was at, in order."""
    routes: dict[MacAddress, list[str]] = defaultdict(list)
    for step in steps:
        if not step.origin:
            continue
        route = routes[step.mac]
        if not route:
            route.append(step.origin)
        route.append(step.to)
    return routes


def _pulled_and_back(routes: Mapping[MacAddress, Sequence[str]]) -> dict[str, dict[MacAddress, str]]:
    """Port to the addresses that were pulled to it and came back, each with the port it came back to."""
    found: dict[str, dict[MacAddress, str]] = defaultdict(dict)
    for mac, route in routes.items():
        for home in dict.fromkeys(route):
            first, last = route.index(home), len(route) - 1 - route[::-1].index(home)
            for port in route[first + 1 : last]:
                if port != home:
                    found[port].setdefault(mac, home)
    return found


def _are_pulled(homes: Mapping[MacAddress, str], enough: int, steps: Sequence[Step], port: str) -> bool:
    """Whether these, each with the port it came back to, are enough, of several ports, and some at once."""
    several = len(set(homes.values())) >= _OTHER_PORTS
    return several and len(homes) >= enough and _most_at_once(steps, port, homes) >= _AT_ONCE


def _most_at_once(steps: Sequence[Step], port: str, macs: Container[MacAddress]) -> int:
    """How many of these were found pulled to the port within a moment."""
    counts = Counter(_moment(step) for step in steps if step.to == port and step.origin and step.mac in macs)
    return max(counts.values(), default=0)


def _moment(step: Step) -> int:
    """Steps of one moment: those of a reading, and of the probes that ask for single addresses in between."""
    return int(step.at.timestamp() // _MOMENT_S)


def _to_and_fro(steps: Sequence[Step], left_out: Collection[str]) -> dict[tuple[str, str], set[MacAddress]]:
    """Pairs of ports, with the addresses that jumped between them often, and not all the same way at a time, as
    they do when a path changes."""
    counts: Counter[tuple[str, str, MacAddress]] = Counter()
    ways: dict[tuple[str, str], dict[int, Counter[str]]] = defaultdict(lambda: defaultdict(Counter))
    for step in steps:
        if step.origin and step.origin not in left_out and step.to not in left_out:
            one, other = sorted((step.origin, step.to))
            counts[one, other, step.mac] += 1
            ways[one, other][_moment(step)][step.to] += 1
    circulating = {pair for pair, each in ways.items() if not _in_step(each.values(), pair)}
    found: dict[tuple[str, str], set[MacAddress]] = defaultdict(set)
    for (one, other, mac), count in counts.items():
        if count >= _JUMPS and (one, other) in circulating:
            found[one, other].add(mac)
    return found


def _in_step(ways: Collection[Counter[str]], pair: tuple[str, str]) -> bool:
    """Whether nearly all went the same way each time."""
    against = sum(min(each[pair[0]], each[pair[1]]) for each in ways)
    return against * _SHARE_AGAINST < sum(each.total() for each in ways)
