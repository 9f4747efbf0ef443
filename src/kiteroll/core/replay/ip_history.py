"""Which IP answered with which address, source by source, as readings' neighbour caches had it."""

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from kiteroll.core.findings.kinds.multiple_ips import HeldIp
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import IP_TABLES, Reading


@dataclass(slots=True)
class _IpStay:
    ip: str
    mac: MacAddress
    began_at: datetime


class IpHistory:
    def __init__(self) -> None:
        self._open: dict[str, dict[str, _IpStay]] = defaultdict(dict)
        """By source, then IP."""
        self._turns: dict[tuple[str, str], list[tuple[datetime, MacAddress]]] = defaultdict(list)
        """By IP and source."""

    def record(self, reading: Reading) -> None:
        """An entry missing from a cache that was not read whole stays."""
        known = self._open[reading.switch]
        if not any(gap.table in IP_TABLES for gap in reading.gaps):
            for ip in known.keys() - reading.addresses.keys():
                del known[ip]
        for ip, mac in reading.addresses.items():
            if ip not in known or known[ip].mac != mac:
                known[ip] = _IpStay(ip, mac, reading.taken_at)
                self._turns[ip, reading.switch].append((reading.taken_at, mac))

    def turns(
        self, since: datetime, turns: int, limit: int
    ) -> Mapping[str, list[tuple[datetime, MacAddress]]]:
        found: dict[str, list[tuple[datetime, MacAddress]]] = {}
        for (ip, source), each in self._turns.items():
            latest = [turn for turn in each if turn[0] >= since]
            self._turns[ip, source] = latest
            most = max(turns, len(found.get(ip, ())) + 1)
            if len(latest) >= most and (ip in found or len(found) < limit):
                found[ip] = sorted(latest)
        for key in [key for key, each in self._turns.items() if not each]:
            del self._turns[key]
        return found

    def held(self, before: datetime, max_ips: int, limit: int) -> Mapping[MacAddress, list[HeldIp]]:
        found: dict[MacAddress, list[HeldIp]] = {}
        for source, entries in self._open.items():
            by_mac: dict[MacAddress, list[HeldIp]] = defaultdict(list)
            for entry in entries.values():
                if ":" not in entry.ip:  # IPv6 hosts make themselves new addresses every day
                    by_mac[entry.mac].append(HeldIp(entry.ip, source, entry.began_at))
            for mac, held in by_mac.items():
                early = sum(one.began_at <= before for one in held)
                if early > 1 and len(held) <= max_ips and len(found) < limit:
                    found.setdefault(mac, held)
        return found
