"""What may stand where a host is named."""

import re

_HOST = re.compile(r"[A-Za-z0-9]([A-Za-z0-9._-]*[A-Za-z0-9])?|[0-9A-Fa-f:.]*:[0-9A-Fa-f:.]*(%[A-Za-z0-9]+)?")


def check_host(host: str) -> str:
    """IPv4, IPv6 or a host name (RFC 1123), without brackets; whether it resolves shows when it is read.

    Raises ValueError.
    """
    text = host.strip().removeprefix("[").removesuffix("]")
    numbers = text.split(".")
    looks_ipv4 = all(part.isascii() and part.isdigit() for part in numbers)
    if looks_ipv4 and not (len(numbers) == 4 and all(int(part) <= 255 for part in numbers)):
        raise ValueError(f"{host!r} is not an IPv4 address: it takes four numbers from 0 to 255")
    if not _HOST.fullmatch(text) or len(text) > 253 or ".." in text:
        raise ValueError(f"{host!r} is neither an IP address nor a host name")
    return text
