"""Addresses that are not to be cut off: those of this machine, its database, its default router, and of
whoever asks for a port to be closed."""

import ipaddress
import socket
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

from kiteroll.core.errors import BadAddress
from kiteroll.core.model.mac import MacAddress
from kiteroll.store import addresses
from kiteroll.store.database import Database

_NET = Path("/sys/class/net")
_ROUTES = Path("/proc/net/route")
_NEIGHBOURS = Path("/proc/net/arp")


class VitalAddresses:
    def __init__(self, database: Database, database_hosts: Sequence[str]) -> None:
        """`database_hosts`: names or addresses of its servers; empty where it is on this machine."""
        self._database = database
        self._database_hosts = database_hosts

    def known(self, client: str) -> dict[MacAddress, str]:
        """Each with whose it is. `client`: address that a call came from; empty for none. Raises
        StorageUnavailable."""
        found = dict.fromkeys(own_addresses(), "this service")
        wanted = dict(self._ips(client))
        near = neighbours()
        recorded = self._database.run(addresses.macs_of_ips, sorted(wanted))
        for ip, owner in wanted.items():
            if (mac := near.get(ip)) is not None:
                found.setdefault(mac, owner)
            for mac in recorded.get(ip, ()):
                found.setdefault(mac, owner)
        return found

    def _ips(self, client: str) -> Iterator[tuple[str, str]]:
        for ip in default_routers():
            yield ip, "its default router"
        for host in self._database_hosts:
            for ip in _resolved(host):
                yield ip, "its database"
        if client and not _is_loopback(client):
            yield client, "whoever asks"


def own_addresses(net: Path = _NET) -> list[MacAddress]:
    """MAC addresses of this machine's interfaces."""
    found = []
    for file in sorted(net.glob("*/address")):
        try:
            mac = MacAddress.parse(file.read_text().strip())
        except (OSError, BadAddress):
            continue  # it is gone, or no Ethernet
        if mac != 0:
            found.append(mac)
    return found


def default_routers(routes: Path = _ROUTES) -> list[str]:
    """IPv4 addresses of the default routers; Linux lists them in hexadecimal, the last octet first."""
    return [
        str(ipaddress.IPv4Address(bytes.fromhex(words[2])[::-1]))
        for words in _rows(routes)
        if len(words) > 2 and words[1] == "00000000" and words[2] != "00000000"
    ]


def neighbours(cache: Path = _NEIGHBOURS) -> Mapping[str, MacAddress]:
    """The neighbour cache of this machine (IPv4)."""
    found = {}
    for words in _rows(cache):
        if len(words) > 3 and words[3] != "00:00:00:00:00:00":
            found[words[0]] = MacAddress.parse(words[3])
    return found


def _rows(file: Path) -> Sequence[list[str]]:
    try:
        return [line.split() for line in file.read_text().splitlines()[1:]]
    except OSError:
        return []  # no Linux, or not to be seen here


def _resolved(host: str) -> list[str]:
    if not host or _is_loopback(host):
        return []
    try:
        return sorted({str(one[4][0]) for one in socket.getaddrinfo(host, None)})
    except OSError:
        return []


def _is_loopback(host: str) -> bool:
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"
