"""Hosts and ports as they are typed."""

from kiteroll.core.errors import Invalid
from kiteroll.core.model.host import check_host
from kiteroll.core.model.whole_number import whole_number

SNMP_PORT = 161


def split_address(text: str, port: int = SNMP_PORT) -> tuple[str, int]:
    """ADDRESS, ADDRESS:PORT, [IPV6] or [IPV6]:PORT; `port` unless given. Raises Invalid."""
    host, port_text = text, ""
    if text.startswith("["):
        host, bracket, rest = text[1:].partition("]")
        if not bracket or (rest and not rest.startswith(":")):
            raise Invalid(f"{text!r} is not an address: write [IPV6] or [IPV6]:PORT")
        port_text = rest[1:]
    elif text.count(":") == 1:
        host, _, port_text = text.partition(":")
    if port_text:
        if (number := whole_number(port_text, least=1, most=65535)) is None:
            raise Invalid(f"{port_text!r} is no port: it is a number from 1 to 65535")
        port = number
    try:
        return check_host(host), port
    except ValueError as wrong:
        raise Invalid(str(wrong)) from wrong
