"""Random networks that really learn and age: the rules find the true port, and call one host one host."""

import random

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from kiteroll.core.findings.finding import Finding, FindingKind
from kiteroll.core.model.reading import key_of
from kiteroll.core.replay.replay import Replay
from kiteroll.core.topology.home import Because
from kiteroll.lab.random_worlds import AGEING_S, PORTS, Net, grow, rounds
from kiteroll.lab.world import Host

worlds = st.tuples(st.integers(0, 10_000), st.integers(2, 8), st.booleans())


def _played(seed: int, switches: int, lldp: bool, *, count: int = 4) -> tuple[Net, Replay, random.Random]:
    net = grow(seed, switches, hosts=6, lldp=lldp)
    net.world.advance(2 * AGEING_S)
    replay, dice = Replay(), random.Random(seed)
    for _, reading in rounds(net, dice, count=count, interval_s=30):
        assert replay.apply(reading) == [], "nothing happens, and nothing is reported"
    return net, replay, dice


def _home(net: Net, replay: Replay, host: Host) -> tuple[str, str] | None:
    home = replay.home_of(host.mac).at
    return None if home is None else (home.stay.place.switch, home.stay.place.port)


@settings(max_examples=12)
@given(worlds)
@example((498, 7, False))
def test_every_host_that_its_switch_knows_is_at_home_at_its_true_port(world: tuple[int, int, bool]) -> None:
    net, replay, _ = _played(*world)
    for host in net.hosts:
        assert host.at is not None
        # One that spoke since its switch was read last may be known beyond it already, and not there.
        if key_of(host.mac, host.vlan) in replay.facts.table(host.at[0]).learned:
            assert _home(net, replay, host) == (host.at[0], f"p{host.at[1]}"), host


@settings(max_examples=8)
@given(worlds, st.integers(0, 10_000))
def test_after_a_move_home_follows_with_the_next_reading_and_nobody_is_doubled(
    world: tuple[int, int, bool], pick: int
) -> None:
    net, replay, dice = _played(*world)
    host = net.hosts[pick % len(net.hosts)]
    names = list(net.world.switches)
    to = (names[pick % len(names)], PORTS - pick % 3)
    if to == host.at:
        return
    net.world.move(host, to)
    found: list[Finding] = []
    for _, reading in rounds(net, dice, count=14, interval_s=30):
        found += replay.apply(reading)
        known = net.world.switches[to[0]].lookup(host.mac, host.vlan) is not None
        if reading.switch == to[0] and known:
            assert _home(net, replay, host) == (to[0], f"p{to[1]}")
    assert {one.kind for one in found} <= {FindingKind.MOVED}
    if world[2]:
        # Without neighbours the uplink of two switches with a handful of hosts cannot always be known.
        assert all(one.subject.mac == host.mac for one in found)


@pytest.mark.parametrize("lldp", [True, False])
@pytest.mark.parametrize("seed", [7, 12])
def test_hosts_behind_a_switch_that_is_not_read_are_placed_at_a_port_towards_it(
    seed: int, lldp: bool
) -> None:
    net = grow(seed, 6, hosts=6, hidden=1, lldp=lldp)
    net.world.advance(2 * AGEING_S)
    replay = Replay()
    for _, reading in rounds(net, random.Random(seed), count=4, interval_s=30):
        replay.apply(reading)
    (hidden,) = net.hidden
    towards = net.ports_towards(hidden)
    homes = [replay.home_of(host.mac) for host in net.hosts if host.at and host.at[0] == hidden]
    placed = [home.at.port for home in homes if home.at is not None]
    assert set(placed) <= towards
    if len(towards) == 1:
        # A leaf: what it carries is heard through one port, and most of it was heard lately.
        assert len(placed) >= len(homes) / 2
    for home in homes:
        if home.at is None:
            assert home.reasons[0].because in (Because.ONLY_ON_UPLINKS, Because.GONE)
        elif lldp and len(towards) == 1:
            assert (home.at.beyond, home.reasons[0].because) == (hidden, Because.BEYOND_UNKNOWN_BRIDGE)
