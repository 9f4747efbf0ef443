"""What a text typed into the search may be: one thing or a list, an IP, a network, an address."""

import re
from ipaddress import IPv4Network, IPv6Network, ip_network

from kiteroll.core.model.whole_number import whole_number

MOST_AT_ONCE = 100
"""Texts of a pasted list that one search takes."""
_STANDS_ALONE = re.compile(r"[0-9A-Fa-f]{8,12}|\S*[:.-]\S*[:.-]\S*")


def split_list(text: str) -> list[str]:
    """What was pasted as a list: parted by commas, semicolons, line ends or tabs; by blanks too where
    each part is clearly an address, an IP or a name of its own (blanks also part an address)."""
    parts = [part.strip() for part in re.split(r"[,;\n\r\t]+", text) if part.strip()]
    if len(parts) == 1:
        words = parts[0].split()
        if len(words) > 1 and all(_STANDS_ALONE.fullmatch(word) for word in words):
            return words
    return parts


def network_of(text: str) -> IPv4Network | IPv6Network | None:
    """10.20.0.0/16 and the like; host bits may be set."""
    if "/" not in text:
        return None
    try:
        return ip_network(text, strict=False)
    except ValueError:
        return None


def meant_as_address(text: str) -> bool:
    """Separators of an address, and digits around them: "aa:bb:cg" yes, "quay 4" no."""
    return ":" in text or sum(sign in "0123456789abcdefABCDEF" for sign in text) >= 12


def may_be_ip(text: str) -> bool:
    """The beginning of an IPv4 address, with a dot at least, or of an IPv6 address."""
    groups = text.split(".")
    if len(groups) > 1:
        return len(groups) <= 4 and all(
            whole_number(group, most=255) is not None for group in groups if group
        )
    return ":" in text and all(len(group) <= 4 for group in text.split(":"))
