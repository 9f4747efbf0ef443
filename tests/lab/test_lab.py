"""The simulated network: bridges that behave, and agents that real SNMP tools agree with."""

import asyncio
import subprocess

from kiteroll.clock import SystemClock
from kiteroll.core.model.mac import MacAddress
from kiteroll.lab import story, tarn_ferries
from kiteroll.lab.agent import AgentSettings, answer
from kiteroll.lab.mib_view import MibView
from kiteroll.lab.notifier import LAB_USER
from kiteroll.lab.objects import switch_objects
from kiteroll.lab.site import Site
from kiteroll.lab.switch import LabPort, LabSwitch
from kiteroll.lab.traits import Traits
from kiteroll.lab.world import Host, World
from kiteroll.snmp import ber
from kiteroll.snmp.message import V2C, ErrorStatus, PduType, decode_message, encode_request
from tests.support.ports import free_udp_port

PC, SERVER = MacAddress.parse("02:1a:09:00:00:01"), MacAddress.parse("02:1a:0b:00:00:01")


def _two_switches() -> World:
    world = World()
    for number, name in enumerate(("left", "right"), start=1):
        ports = {at: LabPort(number=at, name=f"p{at}", pvid=10) for at in (1, 2, 3)}
        switch = LabSwitch(
            name=name, mac=MacAddress(0x021AF0000000 + number), address=f"127.0.1.{number}", ports=ports
        )
        switch.ports[3].tagged = frozenset({10})
        world.add_switch(switch)
    world.cable(("left", 3), ("right", 3))
    world.add_host(Host(name="server", kind="server", mac=SERVER, vlan=10, every_s=1e9, at=("right", 1)))
    world.add_host(Host(name="pc", kind="pc", mac=PC, vlan=10, every_s=1e9, peer=SERVER, at=("left", 1)))
    return world


def test_a_bridge_learns_sources_on_the_port_they_come_by() -> None:
    world = _two_switches()
    assert world.switches["left"].lookup(PC, 10) == 1
    assert world.switches["right"].lookup(PC, 10) == 3, "the hello of a plugged host goes everywhere"


def test_rows_age_and_go_with_their_port_and_with_a_restart() -> None:
    world = _two_switches()
    right = world.switches["right"]
    world.advance(301)
    assert right.lookup(PC, 10) is None, "not heard for the ageing time"
    world.move(world.hosts["pc"], ("right", 2))
    assert right.lookup(PC, 10) == 2 and not world.switches["left"].ports[1].up
    right.restart(world.now)
    assert not right.fdb


def test_a_frame_for_a_known_address_goes_nowhere_else() -> None:
    world = _two_switches()
    third = LabSwitch(name="third", mac=MacAddress(0x021AF0000003), address="127.0.1.3")
    third.ports = {1: LabPort(number=1, name="p1", pvid=10)}
    world.add_switch(third)
    world.cable(("right", 2), ("third", 1))
    world._transmit(world.hosts["pc"], SERVER)
    assert third.lookup(PC, 10) is None


def test_the_same_seed_is_the_same_world_and_its_story_ends_as_it_began() -> None:
    one, other = tarn_ferries.build(5), tarn_ferries.build(5)
    for world in (one, other):
        story.schedule(world, lambda _: None)
        world.advance(story.LENGTH_S - 1)
    assert {name: switch.fdb for name, switch in one.switches.items()} == {
        name: switch.fdb for name, switch in other.switches.items()
    }
    assert one.hosts["laptop-1"].at == ("port-office", 13)
    assert len(one.switches) == 12 and 140 <= len(one.hosts) <= 180


def _walk(address: str, port: int, root: str, *options: str) -> list[str]:
    words = ["snmpbulkwalk", "-v2c", "-c", "tarn-read", "-On", "-Oe", *options, f"{address}:{port}", root]
    return subprocess.run(words, capture_output=True, text=True, check=True, timeout=20).stdout.splitlines()


def test_net_snmp_walks_an_agent_and_sees_every_object_in_order() -> None:
    async def work() -> tuple[list[str], MibView]:
        site = Site(tarn_ferries.build(traits={}), SystemClock(), port=free_udp_port())
        site.open()
        switch = site.world.switches["checkin-east"]
        with site.farm:
            lines = await asyncio.to_thread(_walk, switch.address, site.farm.port, ".1.3.6.1.2.1", "-Cr25")
        neighbours = site.world.neighbours(switch.name)
        return lines, MibView(switch_objects(switch, neighbours))

    lines, view = asyncio.run(work())
    walked = [ber.oid(line.split(" = ")[0].lstrip(".")) for line in lines if "No more var" not in line]
    assert walked == [oid for oid in view.oids if oid[:6] == (1, 3, 6, 1, 2, 1)]
    assert not any("No more variables" in line and at < len(lines) - 1 for at, line in enumerate(lines))
    assert any("Check-in lanes 1 to 4" in line for line in lines)


VIEW = MibView([((1, 3, 1, row), ber.encode(ber.OCTET_STRING, b"x" * 60)) for row in range(1, 60)])


def _ask(
    kind: PduType, *oids: ber.Oid, repetitions: int = 0, room: int = 1472, community: bytes = b"tarn-read"
) -> object:
    request = encode_request(
        V2C, community, kind, 9, [ber.encode_oid(oid) for oid in oids], repetitions=repetitions
    )
    reply = answer({"": VIEW}, AgentSettings(max_message=room), decode_message(request))
    return None if reply is None else decode_message(reply).pdu


def test_an_agent_says_what_is_not_there_and_where_its_view_ends() -> None:
    got = _ask(PduType.GET, (1, 3, 1, 1), (1, 3, 2, 1))
    assert [tag for _, (tag, _) in got.bindings] == [ber.OCTET_STRING, ber.NO_SUCH_INSTANCE]  # type: ignore[attr-defined]
    last = _ask(PduType.GET_NEXT, (1, 3, 1, 59))
    assert [tag for _, (tag, _) in last.bindings] == [ber.END_OF_MIB_VIEW]  # type: ignore[attr-defined]


def test_an_agent_fits_bulk_answers_into_a_message_and_calls_the_rest_too_big() -> None:
    bulk = _ask(PduType.GET_BULK, (1, 3, 1), repetitions=50)
    assert 10 < len(bulk.bindings) < 25 and bulk.error_status == ErrorStatus.NO_ERROR  # type: ignore[attr-defined]
    got = _ask(PduType.GET, *((1, 3, 1, row) for row in range(1, 50)))
    assert got.error_status == ErrorStatus.TOO_BIG and not got.bindings  # type: ignore[attr-defined]


def test_an_agent_does_not_answer_a_wrong_community() -> None:
    assert _ask(PduType.GET, (1, 3, 1, 1), community=b"public") is None


def test_net_snmp_reads_a_simulated_agent_as_a_user() -> None:
    async def work() -> "subprocess.CompletedProcess[str]":
        world = tarn_ferries.build(traits={})
        world.switches["quay-1"].traits = Traits(v3=True)
        site = Site(world, SystemClock(), port=free_udp_port())
        site.open()
        words = [
            "snmpget",
            "-v3",
            "-l",
            "authPriv",
            "-u",
            LAB_USER.name,
            "-a",
            "SHA-256",
            "-A",
            LAB_USER.auth_password,
        ]
        words += [
            "-x",
            "AES",
            "-X",
            LAB_USER.privacy_password,
            f"127.77.0.8:{site.farm.port}",
            "1.3.6.1.2.1.1.5.0",
        ]
        with site.farm:
            return await asyncio.to_thread(subprocess.run, words, capture_output=True, text=True, timeout=20)

    done = asyncio.run(work())
    assert done.returncode == 0 and 'STRING: "quay-1"' in done.stdout, done.stderr
