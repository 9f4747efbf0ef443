"""Field types shared by the API models: names, hosts, units, closed sets."""

import re
from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from kiteroll.core.model import bounds
from kiteroll.core.model.host import check_host

_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9._-]{0,63}")


def _named(what: str) -> AfterValidator:
    def check(name: str) -> str:
        if not _NAME.fullmatch(name):
            raise ValueError(
                f"{name!r} is not a {what}: letters, digits, dots, dashes and underscores, at most 64, "
                "beginning with a letter or digit"
            )
        return name

    return AfterValidator(check)


def _title(text: str) -> str:
    if not (text := text.strip()) or len(text) > 64 or not text.isprintable():
        raise ValueError("1 to 64 characters on one line are possible")
    return text


SwitchName = Annotated[str, _named("switch name")]
Name = Annotated[str, _named("valid name")]
"""Of what options and paths name: credentials, groups, mappings, targets."""
Title = Annotated[str, AfterValidator(_title)]
"""Of what people choose from a list."""
Host = Annotated[str, AfterValidator(check_host)]
UdpPort = Annotated[int, Field(ge=1, le=65535)]
Community = Annotated[str, Field(min_length=1, max_length=255)]
IntervalS = Annotated[int, Field(ge=5, le=86400, description="seconds between two readings")]
OperState = Literal["up", "down", "unknown"]
Version = Literal["1", "2c", "3"]
AuthProtocol = Literal["sha1", "sha224", "sha256", "sha384", "sha512"]
Password = Annotated[str, Field(min_length=8, max_length=255)]
VlanId = Annotated[int, Field(ge=1, le=bounds.VLAN)]
Health = Literal["unread", "read", "partial", "late", "silent", "refused", "failed", "off"]
Source = Literal["snmp", "linux", "files"]
TimeoutS = Annotated[float, Field(ge=0.05, le=60, description="seconds to wait for one answer")]
Tries = Annotated[int, Field(ge=1, le=10, description="how often one request is sent")]
HoldS = Annotated[int, Field(ge=0, le=30 * 86400, description="seconds a quiet address keeps its stay")]
TableSize = Annotated[int, Field(ge=1, le=10_000_000, description="addresses its table holds")]
Life = Literal["present", "quiet", "gone"]
ChangeKind = Literal["appeared", "moved", "quiet", "returned", "gone", "restarted"]
Outcome = Literal["complete", "partial", "failed"]
