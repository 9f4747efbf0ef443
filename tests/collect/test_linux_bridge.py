"""Bridges of this machine: a real one with real frames, and recorded output for what kernels here lack."""

import asyncio
import json
import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from datetime import timedelta
from typing import Any

import pytest

from kiteroll.clock import SystemClock
from kiteroll.collect.bridge_tables import BridgeTables, assemble_bridge
from kiteroll.collect.limits import Limits
from kiteroll.collect.linux_bridge import Bridge, read_bridge
from kiteroll.core.errors import DeviceLied, DeviceSilent, Invalid
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Oper, Reading, Status, key_of
from tests.support.factories import NOON

SPEAK = """
import socket, sys
sock = socket.socket(socket.AF_PACKET, socket.SOCK_RAW)
sock.bind(("eth0", 0))
for source in sys.argv[1:]:
    sock.send(b"\\xff" * 6 + bytes.fromhex(source) + b"\\x88\\xb5" + b"kite roll".ljust(46))
"""
"""Broadcasts of the local experimental EtherType (IEEE 802)."""


def _ip(*words: str) -> None:
    subprocess.run(["ip", *words], check=True, capture_output=True)


@pytest.fixture
def network() -> Iterator[str]:
    """A namespace with a bridge `quay`, and two hosts in namespaces of their own on its ports."""
    tag = f"kr{os.getpid()}"
    if shutil.which("ip") is None or os.geteuid() != 0:
        pytest.skip("a real bridge takes iproute2 and root")
    spaces = [tag, f"{tag}a", f"{tag}b"]
    try:
        for space in spaces:
            _ip("netns", "add", space)
        _ip("-n", tag, "link", "add", "quay", "type", "bridge", "ageing_time", "12000")
        _ip("-n", tag, "link", "set", "quay", "up")
        for port, space in zip(("berth1", "berth2"), spaces[1:], strict=True):
            _ip("-n", tag, "link", "add", port, "type", "veth", "peer", "name", "eth0", "netns", space)
            _ip("-n", tag, "link", "set", port, "master", "quay", "up")
            _ip("-n", space, "link", "set", "eth0", "up")
    except subprocess.CalledProcessError as denied:
        _remove(spaces)
        pytest.skip(f"this machine allows no namespaces or bridges: {denied.stderr.decode().strip()}")
    yield tag
    _remove(spaces)


def _remove(spaces: list[str]) -> None:
    for space in spaces:
        subprocess.run(["ip", "netns", "del", space], capture_output=True, check=False)


def _read(bridge: Bridge) -> Reading:
    return asyncio.run(read_bridge("hut", bridge, SystemClock(), Limits()))


def _speak(space: str, *sources: str) -> None:
    subprocess.run(["ip", "netns", "exec", space, sys.executable, "-c", SPEAK, *sources], check=True)


def test_a_real_bridge_reports_who_spoke_on_which_port(network: str) -> None:
    one, two, three = 0x021A01000001, 0x021A01000002, 0x021A01000003
    _speak(f"{network}a", f"{one:012x}", f"{two:012x}")
    _speak(f"{network}b", f"{three:012x}")
    reading = _read(Bridge(name="quay", namespace=network))
    assert reading.complete
    assert reading.device.ageing == timedelta(seconds=120)
    names = reading.port_names()
    assert set(names.values()) == {"berth1", "berth2"}
    assert all(port.oper is Oper.UP for port in reading.ports)
    at = {mac: names[reading.learned[key_of(mac, None)]] for mac in (one, two, three)}
    assert at == {one: "berth1", two: "berth1", three: "berth2"}
    own = {port.address for port in reading.ports}
    assert own <= {entry.mac for entry in reading.others if entry.status is Status.SELF}

    _speak(f"{network}b", f"{one:012x}")
    moved = _read(Bridge(name="quay", namespace=network))
    assert moved.port_names()[moved.learned[key_of(one, None)]] == "berth2"


def test_what_is_no_bridge_is_reported_with_a_way_on(network: str) -> None:
    with pytest.raises(DeviceSilent, match=r"does not exist.*lists those"):
        _read(Bridge(name="nosuch", namespace=network))
    with pytest.raises(DeviceLied, match="it is no bridge"):
        _read(Bridge(name="berth1", namespace=network))
    with pytest.raises(DeviceSilent):
        _read(Bridge(name="quay", namespace=f"{network}none"))


def test_names_of_bridges() -> None:
    assert Bridge.parse("br0@cell-1") == Bridge(name="br0", namespace="cell-1")
    for text in ("", "a b", "x" * 16, "br0@../up", "br0@", "-json", "br0@-all"):
        if text == "br0@":
            assert Bridge.parse(text) == Bridge(name="br0")
            continue
        with pytest.raises(Invalid, match="names no bridge"):
            Bridge.parse(text)


def _own(*, aware: bool) -> list[dict[str, Any]]:
    facts = {"ageing_time": 30000, "vlan_filtering": int(aware)}
    kind = {"info_kind": "bridge", "info_data": facts}
    return [{"ifname": "br0", "address": "02:1a:f0:00:99:00", "linkinfo": kind}]


PORTS = json.loads("""[
  {"ifindex": 7, "ifname": "vm1", "ifalias": "kiosk\\tserver", "flags": ["UP", "LOWER_UP"],
   "operstate": "UP", "link_type": "ether", "address": "02:1a:f0:00:99:07",
   "linkinfo": {"info_slave_kind": "bridge", "info_slave_data": {"state": "forwarding"}}},
  {"ifindex": 9, "ifname": "eno1", "flags": ["UP"], "operstate": "DOWN", "link_type": "ether",
   "address": "02:1a:f0:00:99:09"}, {}]""")
VLANS = json.loads("""[
  {"ifname": "vm1", "vlans": [{"vlan": 20, "flags": ["PVID", "Egress Untagged"]}]},
  {"ifname": "eno1", "vlans": [{"vlan": 1, "flags": ["PVID", "Egress Untagged"]},
                               {"vlan": 20, "vlanEnd": 22}]}]""")
FDB = json.loads("""[
  {"mac": "02:1a:0b:00:00:01", "ifname": "vm1", "vlan": 20, "flags": [], "master": "br0", "state": ""},
  {"mac": "02:1a:0b:00:00:02", "ifname": "eno1", "vlan": 21, "flags": ["extern_learn"], "state": ""},
  {"mac": "02:1a:0b:00:00:03", "ifname": "eno1", "vlan": 21, "flags": [], "state": "static"},
  {"mac": "02:1a:f0:00:99:07", "ifname": "vm1", "vlan": 20, "flags": [], "state": "permanent"},
  {"mac": "02:1a:f0:00:99:07", "ifname": "vm1", "flags": [], "master": "br0", "state": "permanent"},
  {"mac": "33:33:00:00:00:01", "ifname": "vm1", "flags": ["self"], "state": "permanent"},
  {"mac": "02:1a:0b:00:00:04", "ifname": "gone0", "vlan": 20, "flags": [], "state": ""}]""")
CACHE = json.loads("""[
  {"dst": "10.20.0.5", "dev": "br0.20", "lladdr": "02:1a:0b:00:00:01", "state": ["REACHABLE"]},
  {"dst": "fd77::5", "dev": "br0", "lladdr": "02:1a:0b:00:00:01", "state": ["STALE"]},
  {"dst": "10.20.0.6", "dev": "br0", "state": ["FAILED"]},
  {"dst": "192.0.2.9", "dev": "wan0", "lladdr": "02:1a:0b:00:00:09", "state": ["REACHABLE"]}]""")


def test_a_vlan_aware_bridge_as_recorded() -> None:
    tables = BridgeTables(own=_own(aware=True), ports=PORTS, fdb=FDB, vlans=VLANS, cache=CACHE, uptime_s=90.5)
    reading = assemble_bridge("hut", "br0", NOON, timedelta(0), tables)
    vm1, eno1 = reading.ports
    assert (vm1.default_vlan, vm1.untagged, vm1.tagged) == (20, {20}, frozenset())
    assert (eno1.default_vlan, eno1.untagged, eno1.tagged, eno1.oper) == (1, {1}, {20, 21, 22}, Oper.DOWN)
    assert (vm1.alias, vm1.spanning_tree) == ("kiosk server", "forwarding")
    assert reading.learned == {
        key_of(0x021A0B000001, 20): 7,
        key_of(0x021A0B000002, 21): 9,
    }
    assert [(entry.mac, entry.status) for entry in reading.others] == [
        (0x021A0B000003, Status.STATIC),
        (0x021AF0009907, Status.SELF),
    ]
    assert [(gap.rows, gap.breaks) for gap in reading.gaps] == [(1, False)]
    assert [vlan.id for vlan in reading.vlans] == [1, 20, 21, 22]
    assert reading.addresses == {
        "10.20.0.5": MacAddress(0x021A0B000001),
        "fd77::5": MacAddress(0x021A0B000001),
    }
    assert (reading.device.uptime_ticks, reading.device.bridge_address) == (9050, 0x021AF0009900)


def test_a_bridge_that_filters_no_vlans_reports_none() -> None:
    tables = BridgeTables(own=_own(aware=False), ports=PORTS, fdb=FDB, vlans=VLANS, cache=[])
    reading = assemble_bridge("hut", "br0", NOON, timedelta(0), tables)
    assert key_of(0x021A0B000001, None) in reading.learned
    assert reading.vlans == ()
    assert not any(port.untagged for port in reading.ports)
