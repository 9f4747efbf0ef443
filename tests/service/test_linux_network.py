"""The service against software nobody here wrote: Linux bridges with spanning tree, net-snmp and lldpd."""

from collections.abc import Iterator
from datetime import UTC, datetime

import pytest

from kiteroll.client import (
    Client,
    act,
    add_credential,
    add_switch,
    change_user,
    endpoints,
    findings,
    neighbours,
    path,
    ports,
)
from kiteroll.schemas.api import Credential, NewAction, NewCredential, NewSwitch, UserChange
from tests.support.harness import NewService, wait_until
from tests.support.linux_network import COMMUNITY, WRITE_COMMUNITY, LinuxNetwork, NotPossible

INTERVAL_S = 5
HOSTS = [f"02:1a:0b:00:00:{number:02x}" for number in range(1, 13)]


@pytest.fixture
def network(request: pytest.FixtureRequest) -> Iterator[LinuxNetwork]:
    made = LinuxNetwork(getattr(request, "param", 4))
    try:
        made.start()
        yield made
    except NotPossible as why:
        pytest.skip(f"this machine allows no such network: {why}")
    finally:
        made.stop()


def _homes(client: Client) -> dict[str, tuple[str, str] | None]:
    shown = [one for one in client.each(endpoints()) if one.mac in HOSTS]
    return {one.mac: None if one.home is None else (one.home.switch, one.home.port) for one in shown}


def _here_for(client: Client) -> float:
    """For how long the host that came last is at home, in seconds."""
    began = [one.home.began_at for one in client.each(endpoints()) if one.mac in HOSTS and one.home]
    return (datetime.now(UTC) - max(began)).total_seconds()


def _reported(client: Client) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for one in client.each(findings(states=["open", "acknowledged", "cleared"])):
        found.setdefault(one.kind, []).append(one.title)
    return found


def test_a_ring_of_real_bridges_is_read_followed_and_reported_as_it_is(
    network: LinuxNetwork, new_service: NewService
) -> None:
    for number, mac in enumerate(HOSTS):
        network.plug(mac, network.switches[number % 4], f"a{number // 4 + 1}")
    wait_until(lambda: len(network.shut_ports()) == 1, "spanning tree to shut one cable")
    service = new_service(environment={"KITEROLL_INTERVAL": f"{INTERVAL_S}s"})
    with service.client() as client:
        for name, address in network.addresses.items():
            access = Credential(community=COMMUNITY)
            client.send(add_switch(NewSwitch(name=name, host=address, access=access)))

        def at_home() -> bool:
            return _homes(client) == network.hosts

        wait_until(at_home, "every host to be at home")
        wait_until(
            lambda: _heard(client, network) == network.cable_ends(),
            "both ends of each cable to hear each other",
            seen=lambda: _heard(client, network),
        )
        # On a busy machine the kernel may change its mind once which cable that is.
        wait_until(
            lambda: not _paths_astray(client, network),
            "paths to go over open cables",
            seen=lambda: (network.shut_ports(), _paths_astray(client, network)),
        )
        shut = next(iter(network.shut_ports()))
        assert _reported(client) == {}

        wait_until(lambda: _here_for(client) > 2 * INTERVAL_S, "hosts to be where they are for two readings")
        open_cable = next(one for one in network.cables if shut not in one)
        network.set_link(open_cable[0], "down")
        wait_until(lambda: not network.shut_ports(), "spanning tree to open the spare cable")

        wait_until(lambda: "topology-change" in _reported(client), "the change of paths to be reported")
        wait_until(at_home, "every host to be at home still")
        network.set_link(open_cable[0], "up")
        wait_until(lambda: len(network.shut_ports()) == 1, "spanning tree to shut a cable again")
        wait_until(at_home, "every host to be at home again")
        reported = _reported(client)
        uplinks = _uplinks(client, network)
        assert {kind: len(titles) for kind, titles in reported.items()} == {"topology-change": 1}, (
            reported,
            uplinks,
        )

        network.plug(HOSTS[0], network.switches[2], "a9")
        wait_until(at_home, "the host that was carried to be at home")

        wait_until(lambda: "moved" in _reported(client), "the move to be reported")
        assert _reported(client)["moved"] == [f"{HOSTS[0]} moved from s1 port a1 to s3 port a9"]
    assert service.end() == 0
    assert "Traceback" not in service.log


@pytest.mark.parametrize("network", [2], indirect=True)
def test_a_port_of_a_real_bridge_is_closed_and_opened(network: LinuxNetwork, new_service: NewService) -> None:
    """Written by net-snmp's agent: the interface really goes down, and whoever is there falls silent."""
    host, end = HOSTS[0], ("s1", "a1")
    network.plug(host, *end)
    service = new_service(environment={"KITEROLL_INTERVAL": f"{INTERVAL_S}s"})
    with service.client() as client:
        writer = NewCredential(name="writer", access=Credential(community=WRITE_COMMUNITY))
        client.send(add_credential(writer))
        client.send(change_user("admin", UserChange(acts_on_ports=True)))
        access = Credential(community=COMMUNITY)
        for name, address in network.addresses.items():
            new = NewSwitch(name=name, host=address, access=access, write_credential="writer")
            client.send(add_switch(new))
        wait_until(lambda: _homes(client) == network.hosts, "the host to be at home")

        order = NewAction(kind="close-port", switch=end[0], port=end[1], reason="a trial", dry_run=False)
        done = client.send(act(order)).action
        assert done is not None and done.state == "done" and host in done.present
        assert not network.link_is_up(end)
        wait_until(lambda: _homes(client) == {host: None}, "the host to be nowhere")

        done = client.send(act(order.model_copy(update={"kind": "reopen-port"}))).action
        assert done is not None and done.state == "done" and network.link_is_up(end)
        wait_until(lambda: _homes(client) == network.hosts, "the host to be at home again")
    assert service.end() == 0
    assert "Traceback" not in service.log


def _heard(client: Client, network: LinuxNetwork) -> dict[tuple[str, str], str | None]:
    """By switch and port, the switch that announces itself there."""
    return {
        (name, one.port): one.known_as for name in network.switches for one in client.all(neighbours(name))
    }


def _uplinks(client: Client, network: LinuxNetwork) -> dict[tuple[str, str], str]:
    """By switch and port, why it is one."""
    each = ((name, one) for name in network.switches for one in client.all(ports(name)))
    return {(name, one.name): one.role_evidence for name, one in each if one.role == "uplink"}


def _paths_astray(client: Client, network: LinuxNetwork) -> dict[tuple[str, str], list[tuple[str, str]]]:
    """Of hosts that are not found from a switch, or over an end of the cable that is shut: by host and
    switch, the hops that are reported instead."""
    shut = network.shut_ports()
    ends = {end for cable in network.cables if shut.intersection(cable) for end in cable}
    astray = {}
    for mac, home in network.hosts.items():
        for start in network.switches:
            hops = [(hop.switch, hop.port) for hop in client.all(path(mac, start=start))]
            if not hops or hops[-1] != home or ends.intersection(hops):
                astray[mac, start] = hops
    return astray
