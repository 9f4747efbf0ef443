"""What happens in networks, told by simulated time: what is said of it, and what is not."""

import random
from collections import Counter
from collections.abc import Callable
from itertools import pairwise

import pytest

from kiteroll.core.findings.finding import Cause, Finding, FindingKind
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.replay.replay import Replay
from kiteroll.core.topology.home import choose_home
from kiteroll.core.topology.path import path_to
from kiteroll.lab.random_worlds import AGEING_S, PORTS, START, Net, grow, grow_ring, rounds
from kiteroll.lab.world import Host

INTERVAL_S = 60.0


def _reported(net: Net, happen: Callable[[Net], None], minutes: int = 20) -> dict[FindingKind, list[Finding]]:
    """Findings by kind, explained ones left out, of what happens after some quiet rounds."""
    dice, replay = random.Random(3), Replay()
    net.world.advance(2 * AGEING_S)
    for _, reading in rounds(net, dice, count=5, interval_s=INTERVAL_S):
        assert replay.apply(reading) == [], "at rest there is nothing to report"
    happen(net)
    for _, reading in rounds(net, dice, count=minutes, interval_s=INTERVAL_S):
        replay.apply(reading)
    found: dict[FindingKind, list[Finding]] = {}
    for one in replay.findings.values():
        if not one.part_of:
            found.setdefault(one.kind, []).append(one)
    return found


def _change_rooms(net: Net) -> None:
    """Eleven go from one switch to the other, ten the other way, within two minutes."""
    one, other = "sw-000", "sw-001"
    there = [host for host in net.hosts if host.at and host.at[0] == one][:11]
    back = [host for host in net.hosts if host.at and host.at[0] == other][:10]
    free = {name: iter(range(2 * PORTS, PORTS + 1, -1)) for name in (one, other)}
    for number, (host, to) in enumerate([(h, other) for h in there] + [(h, one) for h in back]):
        port = next(free[to])
        net.world.after(number * 5, lambda host=host, at=(to, port): net.world.move(host, at))  # type: ignore[misc]


def test_a_change_of_classes_is_so_many_moves_and_no_loop() -> None:
    found = _reported(grow(3, 2, hosts=PORTS), _change_rooms)
    assert found.keys() <= {FindingKind.MOVED}, found.keys()
    assert len(found[FindingKind.MOVED]) >= 20


@pytest.mark.parametrize("interval_s", [15, 60])
def test_a_loop_between_two_sockets_is_one_finding_at_its_switch(
    interval_s: float, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(f"{__name__}.INTERVAL_S", interval_s)
    ports = (2 * PORTS - 1, 2 * PORTS)
    found = _reported(grow(5, 4, hosts=PORTS), lambda net: net.world.loop("sw-002", ports), minutes=12)
    (loop,) = found[FindingKind.LOOP]
    assert loop.subject.switch == "sw-002"
    assert {port for _, port in loop.details.ports} & {f"p{port}" for port in ports}
    kinds = Counter({kind: len(each) for kind, each in found.items() if kind is not FindingKind.LOOP})
    assert not kinds, f"beside the loop: {kinds}"


def test_a_laptop_carried_while_it_was_off_has_moved() -> None:
    def carry(net: Net) -> None:
        host = next(one for one in net.hosts if one.at and one.at[0] == "sw-001")
        net.world.unplug(host)
        net.world.after(1500, lambda: net.world.plug(host, ("sw-000", 2 * PORTS)))

    found = _reported(grow(3, 2, hosts=6), carry, minutes=40)
    (moved,) = found[FindingKind.MOVED]
    assert moved.details.ports[0][0] == "sw-001" and moved.details.ports[1] == ("sw-000", f"p{2 * PORTS}")
    assert found.keys() == {FindingKind.MOVED}


@pytest.mark.parametrize("every_s", [300, 900])
def test_clients_that_roam_between_access_points_are_no_loop_and_no_clones(every_s: float) -> None:
    """Forty wireless clients on four access points of two switches."""
    points = [(switch, 2 * PORTS - number) for switch in ("sw-000", "sw-001") for number in (0, 1)]

    def roam(net: Net) -> None:
        dice = random.Random(9)
        for number in range(40):
            client = Host(
                name=f"client-{number}",
                kind="host",
                mac=MacAddress(0x021A0C000000 + number),
                vlan=10,
                every_s=10,
                peer=net.hosts[0].mac,
                broadcasts=0.3,
                at=dice.choice(points),
            )
            net.world.add_host(client)
            for at_s in range(int(dice.uniform(30, every_s)), 1500, int(every_s)):
                to = dice.choice(points)
                net.world.after(at_s, lambda client=client, to=to: net.world.settle(client.name, to))  # type: ignore[misc]

    found = _reported(grow(3, 2, hosts=6), roam, minutes=25)
    serious = {FindingKind.LOOP, FindingKind.DUPLICATE}
    assert not serious & found.keys(), {kind: len(each) for kind, each in found.items()}


def test_one_address_in_two_vlans_at_two_ports_is_none_of_our_business() -> None:
    def plug(net: Net) -> None:
        for vlan, port in ((10, 2 * PORTS), (20, 2 * PORTS - 1)):
            host = Host(
                name=f"gateway-{vlan}",
                kind="host",
                mac=MacAddress(0x021A0D000001),
                vlan=vlan,
                every_s=10,
                peer=net.hosts[0].mac,
                broadcasts=0.5,
                at=("sw-000", port),
            )
            net.world.add_host(host)

    assert _reported(grow(3, 2, hosts=6), plug) == {}


@pytest.mark.parametrize(("lldp", "times"), [(True, 4), (False, 1)])
def test_a_ring_that_breaks_and_mends_is_one_topology_change_and_moves_nobody(lldp: bool, times: int) -> None:
    ring = grow_ring(4, 5, hosts=6, lldp=lldp)

    def break_and_mend(net: Net) -> None:
        for number in range(times):
            net.world.after(60 + 240 * number, lambda number=number: ring.break_cable(number))  # type: ignore[misc]
            net.world.after(180 + 240 * number, ring.mend_cable)

    reported = _reported(ring.net, break_and_mend, minutes=25)
    assert {kind: len(found) for kind, found in reported.items()} == {FindingKind.TOPOLOGY_CHANGE: 1}
    (found,) = reported[FindingKind.TOPOLOGY_CHANGE]
    assert found.cause is Cause.LINK_BETWEEN_SWITCHES
    assert len(found.details.macs) >= Thresholds().path_addresses


@pytest.mark.parametrize("broken", [None, 1])
def test_paths_in_a_ring_go_over_open_cables_where_the_tables_have_the_address(broken: int | None) -> None:
    ring = grow_ring(4, 5, hosts=6)
    net, replay, dice = ring.net, Replay(), random.Random(3)
    net.world.advance(2 * AGEING_S)
    if broken is not None:
        ring.break_cable(broken)
    for _, reading in rounds(net, dice, count=12, interval_s=INTERVAL_S):
        replay.apply(reading)
    topology = replay.facts.topology(fresh=True)
    shut = {ring.cables[-1 if broken is None else broken]}
    paths = 0
    for host in net.hosts:
        sightings = replay.facts.sightings([host.mac], START)[host.mac]
        home = choose_home(sightings).at
        assert home is not None and host.at is not None and home.port == (host.at[0], f"p{host.at[1]}")
        for start in net.world.switches:
            hops = path_to(home, sightings, start, topology)
            assert hops and hops[-1].switch == host.at[0], (host.name, start)
            for here, there in pairwise(hops):
                end = (here.switch, int(here.port[1:]))
                assert net.cables[end][0] == there.switch == here.leads_to
                assert not {(end, net.cables[end]), (net.cables[end], end)} & shut
            paths += 1
    assert paths == len(net.hosts) * 5
