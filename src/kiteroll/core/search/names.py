"""What an endpoint is called: who types one of these in full means it, however many names begin so."""

from collections.abc import Iterable, Mapping

from kiteroll.core.errors import Invalid

LOOKED_AT = 50
"""Endpoints that a text found, among which the one is looked for that is called so."""
_SHOWN = 5
"""Addresses that are named where the text fits several."""


def names_of(ips: Iterable[str], host_names: Iterable[str], label: str) -> set[str]:
    """Its IPs, host names with and without their domain, and label, in lower case."""
    hosts = [name.lower() for name in host_names]
    return {*ips, *hosts, *(name.partition(".")[0] for name in hosts), label.lower()} - {""}


def the_one_meant(text: str, found: Mapping[str, set[str]], *, more: bool) -> str | None:
    """The one that is called `text`, or the only one it found; None where it found none. `found`: by address,
    what each is called; `more`: whether it found others. Raises Invalid where it may be several."""
    wanted = text.strip().lower()
    called = [mac for mac, names in found.items() if wanted in names]
    macs = called if len(called) == 1 else list(found)
    if len(macs) > 1:
        others = " and more" if more or len(macs) > _SHOWN else ""
        raise Invalid(f"{text!r} may be {', '.join(macs[:_SHOWN])}{others}: type more of it")
    return macs[0] if macs else None
