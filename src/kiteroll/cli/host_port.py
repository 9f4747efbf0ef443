"""Addresses of switches as they are typed."""

from kiteroll.core.errors import Invalid
from kiteroll.core.model.host import check_host

SNMP_PORT = 161


def split_address(text: str) -> tuple[str, int]:
    """ADDRESS, ADDRESS:PORT, [IPV6] or [IPV6]:PORT; port 161 unless given. Raises Invalid."""
    host, port_text = text, ""
    if text.startswith("["):
        host, bracket, rest = text[1:].partition("]")
        if not bracket or (rest and not rest.startswith(":")):
            raise Invalid(f"{text!r} is not an address: write [IPV6] or [IPV6]:PORT")
        port_text = rest[1:]
    elif text.count(":") == 1:
        host, _, port_text = text.partition(":")
    port = SNMP_PORT
    if port_text:
        if not port_text.isdigit() or not 1 <= int(port_text) <= 65535:
            raise Invalid(f"{port_text!r} is no UDP port: it is a number from 1 to 65535")
        port = int(port_text)
    try:
        return check_host(host), port
    except ValueError as wrong:
        raise Invalid(str(wrong)) from wrong
