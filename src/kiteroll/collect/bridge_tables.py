"""Makes a reading of iproute2's JSON about one Linux bridge. Pure.

Sources: `ip -j -d link`, `bridge -j fdb`, `bridge -j vlan`, `ip -j neigh`; the names are those of
the kernel's rtnetlink attributes (linux/if_link.h, linux/if_bridge.h, linux/neighbour.h).
"""

import ipaddress
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from kiteroll.collect.values import printable
from kiteroll.core.errors import BadAddress, DeviceLied
from kiteroll.core.model import bounds
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Device, Entry, Gap, Oper, Port, Reading, Status, Vlan, key_of

Row = Mapping[str, Any]
_OPER = {"UP": Oper.UP, "DOWN": Oper.DOWN, "LOWERLAYERDOWN": Oper.DOWN}
_ETHERNET = 6
_VALID_NEIGHBOUR = frozenset({"REACHABLE", "STALE", "DELAY", "PROBE", "PERMANENT"})


@dataclass(frozen=True, slots=True, kw_only=True)
class BridgeTables:
    own: Sequence[Row]
    """The bridge itself, one row."""
    ports: Sequence[Row]
    fdb: Sequence[Row]
    vlans: Sequence[Row]
    """Of every bridge port of the host."""
    cache: Sequence[Row]
    """The host's neighbour cache."""
    uptime_s: float | None = None


def assemble_bridge(
    switch: str, name: str, taken_at: datetime, duration: timedelta, tables: BridgeTables
) -> Reading:
    """Raises DeviceLied when the interface is no bridge."""
    own = next((row for row in tables.own if row.get("ifname") == name), None)
    facts = _dig(own, "linkinfo", "info_data")
    if own is None or _dig(own, "linkinfo").get("info_kind") != "bridge":
        raise DeviceLied(name, "it is no bridge: `ip link show type bridge` lists those of this machine")
    aware = bool(facts.get("vlan_filtering"))
    sets = {row.get("ifname"): list(_vlan_sets(row)) for row in tables.vlans} if aware else {}
    ports = tuple(_port(row, sets.get(row.get("ifname"), [])) for row in tables.ports if row.get("ifname"))
    rows = _Rows({port.name: port.number for port in ports}, aware=aware)
    for row in tables.fdb:
        rows.add(row)
    known = {vlan for listed in sets.values() for vlan, _ in listed}
    return Reading(
        switch=switch,
        taken_at=taken_at,
        duration=duration,
        device=_device(own, facts, tables.uptime_s),
        ports=ports,
        vlans=tuple(Vlan(id=vlan) for vlan in sorted(known)),
        learned=rows.learned,
        others=tuple(rows.others),
        gaps=tuple(rows.gaps()),
        addresses=dict(_addresses(tables.cache, name)),
    )


def _device(own: Row, facts: Row, uptime_s: float | None) -> Device:
    ageing = facts.get("ageing_time")
    reported = timedelta(seconds=ageing / 100) if isinstance(ageing, int) else None
    return Device(
        name=str(own.get("ifname", "")),
        description="Linux bridge",
        uptime_ticks=None if uptime_s is None else int(uptime_s * 100) % 2**32,
        bridge_address=_mac(own.get("address")),
        # In USER_HZ, hundredths of a second (IFLA_BR_AGEING_TIME).
        ageing=None if reported is None else min(reported, bounds.AGEING),
    )


def _port(row: Row, vlans: Sequence[tuple[int, frozenset[str]]]) -> Port:
    state = _dig(row, "linkinfo", "info_slave_data").get("state")
    return Port(
        number=int(row.get("ifindex", 0)),
        name=str(row["ifname"]),
        alias=printable(str(row.get("ifalias", ""))),
        admin_up="UP" in row.get("flags", ()),
        oper=_OPER.get(str(row.get("operstate")), Oper.UNKNOWN),
        address=_mac(row.get("address")),
        kind=_ETHERNET if row.get("link_type") == "ether" else None,
        default_vlan=next((vlan for vlan, flags in vlans if "PVID" in flags), None),
        untagged=frozenset(vlan for vlan, flags in vlans if "Egress Untagged" in flags),
        tagged=frozenset(vlan for vlan, flags in vlans if "Egress Untagged" not in flags),
        spanning_tree=str(state or ""),
    )


class _Rows:
    """Rows of the table sorted into learned ones, others, and those left out with the reason."""

    def __init__(self, ports: Mapping[str, int], *, aware: bool) -> None:
        self.learned: dict[int, int] = {}
        self.others: list[Entry] = []
        self._ports = ports
        self._aware = aware
        self._left_out: Counter[str] = Counter()

    def add(self, row: Row) -> None:
        mac = _mac(row.get("mac"))
        if mac is None:
            return  # group addresses: what a port listens to, not who is there
        port = str(row.get("ifname", ""))
        vlan = row.get("vlan") if self._aware else None
        state = row.get("state", "")
        if state == "permanent" or "self" in row.get("flags", ()):
            # One row a VLAN for each of its own interfaces: once is enough.
            entry = Entry(mac=mac, vlan=None, port=port if port in self._ports else None, status=Status.SELF)
            if entry not in self.others:
                self.others.append(entry)
        elif state in ("static", "noarp"):
            self.others.append(Entry(mac=mac, vlan=vlan, port=port, status=Status.STATIC))
        elif port not in self._ports:
            self._left_out["rows at an interface that is no port of the bridge"] += 1
        else:
            # "stale" rows are still in the table: the kernel forgets them once they are aged.
            self.learned[key_of(mac, vlan)] = self._ports[port]

    def gaps(self) -> Iterator[Gap]:
        for why, rows in self._left_out.items():
            yield Gap(table="bridge fdb", why=why, rows=rows, breaks=False)


def _vlan_sets(row: Row) -> Iterator[tuple[int, frozenset[str]]]:
    for one in row.get("vlans", ()):
        first = one.get("vlan")
        if isinstance(first, int):
            for vlan in range(first, int(one.get("vlanEnd", first)) + 1):
                yield vlan, frozenset(one.get("flags", ()))


def _addresses(cache: Sequence[Row], bridge: str) -> Iterator[tuple[str, MacAddress]]:
    """What the host learned behind this bridge, or behind a VLAN interface on top of it."""
    for row in cache:
        device = str(row.get("dev", ""))
        if device != bridge and not device.startswith(f"{bridge}."):
            continue
        mac = _mac(row.get("lladdr"))
        if mac is None or not _VALID_NEIGHBOUR.intersection(row.get("state", ())):
            continue
        try:
            yield str(ipaddress.ip_address(str(row.get("dst", "")))), mac
        except ValueError:
            continue


def _mac(text: Any) -> MacAddress | None:
    try:
        mac = MacAddress.parse(str(text))
    except BadAddress:
        return None
    return None if mac == 0 or mac.is_group else mac


def _dig(row: Row | None, *names: str) -> Row:
    for name in names:
        found = (row or {}).get(name)
        row = found if isinstance(found, Mapping) else {}
    return row or {}
