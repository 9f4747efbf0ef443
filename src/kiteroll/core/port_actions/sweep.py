"""Asking hosts to be heard: which addresses are asked, and that they are few and may be asked."""

import ipaddress
from collections.abc import Iterable, Sequence
from ipaddress import IPv4Network, IPv6Network

from kiteroll.core.errors import Invalid

DISCARD_PORT = 9
"""UDP port of the discard service (RFC 863): a datagram there asks for nothing."""
MOST_ADDRESSES = 4096
"""A /20."""

Network = IPv4Network | IPv6Network


def parse_network(text: str) -> Network:
    """Raises Invalid."""
    try:
        return ipaddress.ip_network(text.strip(), strict=False)
    except ValueError as wrong:
        raise Invalid(f"{text!r} is no network, such as 10.20.30.0/24: {wrong}") from wrong


def addresses_to_ask(asked: Sequence[str], allowed: Iterable[Network]) -> list[str]:
    """Of networks and addresses, those of hosts, in order, each once. Raises Invalid for what lies outside
    the allowed networks, and for more than may be asked at once."""
    may = list(allowed)
    if not may:
        raise Invalid("no network may be asked: list those that may in acting.ask_networks")
    found: dict[str, None] = {}
    for text in asked:
        network = parse_network(text)
        if not any(one.version == network.version and network.subnet_of(one) for one in may):  # type: ignore[arg-type]
            listed = ", ".join(map(str, may))
            raise Invalid(f"{network} may not be asked: it is outside acting.ask_networks ({listed})")
        if network.num_addresses > 2 * MOST_ADDRESSES:
            raise Invalid(
                f"{network} has {network.num_addresses} addresses, at most {MOST_ADDRESSES} are asked at once"
            )
        hosts = network.hosts() if network.num_addresses > 2 else iter(network)
        found |= dict.fromkeys(str(host) for host in hosts)
    if len(found) > MOST_ADDRESSES:
        raise Invalid(f"{len(found)} addresses, at most {MOST_ADDRESSES} are asked at once")
    return list(found)
