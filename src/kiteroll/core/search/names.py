"""What an endpoint is called: who types one of these in full means it, however many names begin so."""

from collections.abc import Iterable


def names_of(ips: Iterable[str], host_names: Iterable[str], label: str) -> set[str]:
    """Its IPs, host names with and without their domain, and label, in lower case."""
    hosts = [name.lower() for name in host_names]
    return {*ips, *hosts, *(name.partition(".")[0] for name in hosts), label.lower()} - {""}
