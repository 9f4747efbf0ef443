"""Words the API shares: names, hosts, units, closed sets."""

import re
from typing import Annotated, Literal

from pydantic import AfterValidator, Field

_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9._-]{0,63}")
_HOST = re.compile(r"[A-Za-z0-9]([A-Za-z0-9._-]*[A-Za-z0-9])?|[0-9A-Fa-f:.]*:[0-9A-Fa-f:.]*(%[A-Za-z0-9]+)?")


def _switch_name(name: str) -> str:
    if not _NAME.fullmatch(name):
        raise ValueError(
            f"{name!r} is no switch name: letters, digits, dots, dashes and underscores, at most 64, "
            "beginning with a letter or digit"
        )
    return name


def check_host(host: str) -> str:
    """IPv4, IPv6 or a host name (RFC 1123); whether it resolves is seen when it is read."""
    text = host.strip().removeprefix("[").removesuffix("]")
    numbers = text.split(".")
    looks_ipv4 = all(part.isdigit() for part in numbers)
    if looks_ipv4 and not (len(numbers) == 4 and all(int(part) <= 255 for part in numbers)):
        raise ValueError(f"{host!r} is no IPv4 address: it takes four numbers from 0 to 255")
    if not _HOST.fullmatch(text) or len(text) > 253 or ".." in text:
        raise ValueError(f"{host!r} is neither an IP address nor a host name")
    return text


SwitchName = Annotated[str, AfterValidator(_switch_name)]
Host = Annotated[str, AfterValidator(check_host)]
UdpPort = Annotated[int, Field(ge=1, le=65535)]
Community = Annotated[str, Field(min_length=1, max_length=255)]
IntervalS = Annotated[int, Field(ge=5, le=86400, description="seconds between two readings")]
OperState = Literal["up", "down", "unknown"]
Version = Literal["1", "2c", "3"]
AuthProtocol = Literal["sha1", "sha224", "sha256", "sha384", "sha512"]
Password = Annotated[str, Field(min_length=8, max_length=255)]
VlanId = Annotated[int, Field(ge=1, le=4094)]
Health = Literal["unread", "read", "partial", "late", "silent", "refused", "failed", "off"]
Source = Literal["snmp", "linux", "files"]
TimeoutS = Annotated[float, Field(ge=0.05, le=60, description="seconds to wait for one answer")]
Tries = Annotated[int, Field(ge=1, le=10, description="how often one request is sent")]
HoldS = Annotated[int, Field(ge=0, le=30 * 86400, description="seconds a quiet address keeps its stay")]
TableSize = Annotated[int, Field(ge=1, le=10_000_000, description="addresses its table holds")]
Life = Literal["present", "quiet", "gone"]
ChangeKind = Literal["appeared", "moved", "quiet", "returned", "gone", "restarted"]
Outcome = Literal["complete", "partial", "failed"]


def speed_text(bps: int | None) -> str:
    """A speed as people say it, "100 Mb/s"; empty when it is not known. `bps`: bits a second."""
    if bps is None:
        return ""
    for unit, size in (("Gb/s", 10**9), ("Mb/s", 10**6), ("kb/s", 10**3)):
        if bps >= size:
            return f"{bps / size:g} {unit}"
    return f"{bps} b/s"
