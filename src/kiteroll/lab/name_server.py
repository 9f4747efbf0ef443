"""A small DNS server of the simulated network: host names of its endpoints (PTR, RFC 1035)."""

import asyncio
from collections.abc import Mapping

import dns.exception
import dns.flags
import dns.message
import dns.rcode
import dns.rdatatype
import dns.reversename
import dns.rrset

from kiteroll.core.errors import Invalid
from kiteroll.lab.world import World

ADDRESS = "127.77.0.250"
DOMAIN = "tarn-ferries.example"
_TTL_S = 300


def host_names(world: World) -> dict[str, str]:
    """IP address to host name, of every host a router of this world knows."""
    by_mac = {host.mac: f"{host.name}.{DOMAIN}" for host in world.hosts.values()}
    return {
        ip: by_mac[mac]
        for switch in world.switches.values()
        for ip, mac in switch.neighbour_cache.items()
        if mac in by_mac
    }


class NameServer(asyncio.DatagramProtocol):
    def __init__(self, names: Mapping[str, str]) -> None:
        self._names = {str(dns.reversename.from_address(ip)): name for ip, name in names.items()}
        self._transport: asyncio.DatagramTransport | None = None

    async def open(self, port: int) -> None:
        """Raises Invalid when the address is taken."""
        loop = asyncio.get_running_loop()
        try:
            self._transport, _ = await loop.create_datagram_endpoint(lambda: self, local_addr=(ADDRESS, port))
        except OSError as taken:
            raise Invalid(
                f"no simulated name server can listen on {ADDRESS} port {port}/udp: {taken.strerror}"
            ) from taken

    def close(self) -> None:
        if self._transport is not None:
            self._transport.close()

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        try:
            question = dns.message.from_wire(data)
        except dns.exception.DNSException:
            return
        reply = dns.message.make_response(question)
        reply.flags |= dns.flags.AA
        for asked in question.question:
            name = self._names.get(str(asked.name))
            if name is None:
                reply.set_rcode(dns.rcode.NXDOMAIN)
            elif asked.rdtype == dns.rdatatype.PTR:
                reply.answer.append(dns.rrset.from_text(asked.name, _TTL_S, "IN", "PTR", f"{name}."))
        if self._transport is not None:
            self._transport.sendto(reply.to_wire(), addr)
