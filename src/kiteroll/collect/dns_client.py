"""Host names of IP addresses, by reverse lookup in the DNS (RFC 1035 section 3.5, RFC 3596)."""

from collections.abc import Sequence
from dataclasses import dataclass

import dns.asyncresolver
import dns.exception
import dns.resolver
import dns.reversename

from kiteroll.core.errors import Invalid
from kiteroll.core.model.whole_number import whole_number

_LONGEST_NAME = 255
_LIFETIME_S = 4.0
"""For one question with all its tries."""


class NameServerSilent(Exception):
    """No name server gave an answer; the name may be looked up later."""


@dataclass(frozen=True, slots=True)
class _Server:
    host: str
    port: int


class ReverseDnsClient:
    def __init__(self, servers: Sequence[str]) -> None:
        """`servers`: ADDRESS or ADDRESS:PORT; none: those the system is set up with.

        Raises Invalid when the system names none, or one is no address.
        """
        parsed = [_server(text) for text in servers]
        try:
            self._resolver = dns.asyncresolver.Resolver(configure=not parsed)
        except dns.resolver.NoResolverConfiguration as none:
            raise Invalid("the system names no DNS server: set dns.servers") from none
        if parsed:
            self._resolver.nameservers = [one.host for one in parsed]
            self._resolver.nameserver_ports = {one.host: one.port for one in parsed}
        self._resolver.lifetime = _LIFETIME_S
        self._resolver.cache = None

    async def name_of(self, ip: str) -> str:
        """Its name, without the final dot, in lower case; empty when it has none.

        Raises NameServerSilent when no server answers, or none can say.
        """
        try:
            answer = await self._resolver.resolve(
                dns.reversename.from_address(ip), "PTR", raise_on_no_answer=False, search=False
            )
        except dns.resolver.NXDOMAIN:
            return ""
        except (dns.exception.DNSException, OSError) as silent:
            raise NameServerSilent(str(silent)) from silent
        names = sorted(str(record.target).rstrip(".").lower() for record in answer.rrset or ())
        return names[0][:_LONGEST_NAME] if names else ""


def _server(text: str) -> _Server:
    host, _, port = text.rpartition(":") if text.count(":") == 1 or "]:" in text else (text, "", "53")
    host = host.strip("[]")
    number = whole_number(port, least=1, most=65535)
    if not dns.inet.is_address(host) or number is None:
        raise Invalid(f"dns.servers: {text!r} is no server: write ADDRESS or ADDRESS:PORT")
    return _Server(host, number)
