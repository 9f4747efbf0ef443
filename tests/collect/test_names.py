"""Reverse lookups against a real DNS server on loopback: the one of the simulated network."""

import asyncio

import pytest

from kiteroll.collect.dns_client import NameServerSilent, ReverseDnsClient
from kiteroll.core.errors import Invalid
from kiteroll.lab.name_server import ADDRESS, NameServer
from tests.support.ports import free_udp_port

NAMES = {"10.20.0.7": "Kiosk-7.tarn-ferries.example", "fd77:a::5": "server-1.tarn-ferries.example"}


def look_up(ips: list[str], *, serve: bool = True) -> dict[str, str]:
    async def run() -> dict[str, str]:
        port = free_udp_port()
        server = NameServer(NAMES)
        if serve:
            await server.open(port)
        source = ReverseDnsClient([f"{ADDRESS}:{port}"])
        try:
            return {ip: await source.name_of(ip) for ip in ips}
        finally:
            server.close()

    return asyncio.run(run())


def test_names_of_ipv4_and_ipv6_and_of_none() -> None:
    assert look_up([*NAMES, "10.20.0.8"]) == {
        "10.20.0.7": "kiosk-7.tarn-ferries.example",
        "fd77:a::5": "server-1.tarn-ferries.example",
        "10.20.0.8": "",
    }


def test_a_server_that_is_not_there_is_no_answer() -> None:
    with pytest.raises(NameServerSilent):
        look_up(["10.20.0.7"], serve=False)


def test_servers_are_addresses() -> None:
    ReverseDnsClient(["192.0.2.1", "192.0.2.1:5353", "2001:db8::1", "[2001:db8::1]:5353"])
    for text in ("ns.example", "192.0.2.1:x", "[2001:db8::1]:"):
        with pytest.raises(Invalid, match="is no server"):
            ReverseDnsClient([text])
