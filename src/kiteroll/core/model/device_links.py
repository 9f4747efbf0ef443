"""Links an operator makes to devices: templates such as `https://{address}` or `ssh://admin@{address}`."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from urllib.parse import quote

from kiteroll.core.errors import Invalid

OF_SWITCH, OF_ENDPOINT = "switch", "endpoint"
PLACEHOLDERS: Mapping[str, tuple[str, ...]] = {
    OF_SWITCH: ("address", "name", "site"),
    OF_ENDPOINT: ("ip", "mac", "host_name", "switch", "port"),
}
SCHEMES = frozenset({"http", "https", "ssh", "telnet", "sftp", "rdp", "vnc", "snmp"})
"""Those that open a page or a program. A browser runs none of them as a script."""
_PART = re.compile(r"\{([^{}]*)\}")


@dataclass(frozen=True, slots=True)
class DeviceLink:
    name: str
    of: str
    """What it leads to: switch or endpoint."""
    template: str

    def __post_init__(self) -> None:
        """Raises Invalid."""
        if self.of not in PLACEHOLDERS:
            raise Invalid(f"of: {self.of!r} is neither switch nor endpoint")
        scheme, colon, rest = self.template.partition("://")
        if not colon or scheme.lower() not in SCHEMES or not rest:
            raise Invalid(f"template: it must begin with one of {', '.join(sorted(SCHEMES))} and ://")
        known = PLACEHOLDERS[self.of]
        for name in _PART.findall(self.template):
            if name not in known:
                places = ", ".join(f"{{{one}}}" for one in known)
                raise Invalid(f"template: {{{name}}} is not known for a {self.of}; there are {places}")
        if any(sign in _PART.sub("", self.template) for sign in "{} \t\n\"'<>"):
            raise Invalid("template: no blanks, quotes, angle brackets or single braces")

    def url(self, values: Mapping[str, str]) -> str | None:
        """The link to a device; None where something that it names is not known."""
        if any(not values.get(name) for name in _PART.findall(self.template)):
            return None
        return _PART.sub(lambda part: _quoted(values[part[1]]), self.template)


def _quoted(value: str) -> str:
    """IPv6 addresses in brackets (RFC 3986, 3.2.2); all else so that it stays one part."""
    return f"[{value}]" if value.count(":") > 1 and _is_ipv6(value) else quote(value, safe=":")


def _is_ipv6(value: str) -> bool:
    return not re.fullmatch(r"([0-9a-f]{2}:){5}[0-9a-f]{2}", value)
