"""Addresses that several devices answer with by design: virtual routers, and those the operator lists."""

from collections.abc import Collection

_VIRTUAL_ROUTERS = frozenset({0x00005E0001, 0x00005E0002})
"""First five octets of virtual router addresses, IPv4 and IPv6 (RFC 9568 section 7.3)."""


def is_shared(mac: int, prefixes: Collection[str]) -> bool:
    """`prefixes`: the operator's list of addresses and prefixes, as hex digits."""
    if mac >> 8 in _VIRTUAL_ROUTERS:
        return True
    if not prefixes:
        return False
    digits = f"{mac:012x}"
    return any(digits.startswith(prefix) for prefix in prefixes)
