"""Neighbour caches: which IP address answers for which MAC address, as a router or switch knows it."""

import ipaddress

from kiteroll.collect.raw import RawSwitch
from kiteroll.collect.values import arcs_of, physical_address
from kiteroll.core.model.mac import MacAddress
from kiteroll.snmp import mib

_OCTETS = {1: 4, 2: 16, 3: 4, 4: 16}
"""InetAddressType (RFC 4001) to octets of the address proper; types 3 and 4 add a zone of four."""
_ZONED = (3, 4)


def read_addresses(raw: RawSwitch) -> dict[str, MacAddress]:
    """IP address as text to MAC address, from ipNetToPhysicalTable and the older ipNetToMediaTable
    (RFC 4293). Rows without a usable physical address (incomplete, invalid) are no entries."""
    found: dict[str, MacAddress] = {}
    for index, value in raw.column(mib.IP_NET_TO_MEDIA_PHYS_ADDRESS).items():
        arcs, mac = arcs_of(index), physical_address(value)
        if mac is not None and arcs is not None and len(arcs) == 5 and max(arcs[1:]) <= 0xFF:
            found[str(ipaddress.IPv4Address(bytes(arcs[1:])))] = mac
    for index, value in raw.column(mib.IP_NET_TO_PHYSICAL_PHYS_ADDRESS).items():
        arcs, mac = arcs_of(index), physical_address(value)
        if mac is None or arcs is None or len(arcs) < 4 or arcs[1] not in _OCTETS:
            continue
        octets = arcs[3:]
        length = _OCTETS[arcs[1]]
        whole = length + 4 if arcs[1] in _ZONED else length
        if arcs[2] == len(octets) == whole and max(octets) <= 0xFF:
            found[str(ipaddress.ip_address(bytes(octets[:length])))] = mac
    return found
