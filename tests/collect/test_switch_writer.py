"""Writing objects of switches: simulated agents against net-snmp's programs, and ours against its agent."""

import asyncio
import subprocess
from collections.abc import Awaitable, Callable, Iterator
from dataclasses import replace
from pathlib import Path

import pytest

from kiteroll.clock import SystemClock
from kiteroll.collect.limits import Limits
from kiteroll.collect.snmp_client import Target
from kiteroll.collect.switch_writer import Answer, WrittenObject, writing, written_object
from kiteroll.core.errors import DeviceSilent
from kiteroll.core.port_actions.actions import ActionKind
from kiteroll.lab import tarn_ferries
from kiteroll.lab.notifier import LAB_USER
from kiteroll.lab.site import Site
from kiteroll.lab.switch import LabSwitch
from kiteroll.snmp.usm import Auth, User
from tests.support.net_snmp import running_snmpd
from tests.support.ports import free_udp_port

CLOCK = SystemClock()
LIMITS = Limits(timeout_s=1, tries=2)
CLOSE, REOPEN, ALIAS, AGEING = (
    *(ActionKind.CLOSE, ActionKind.REOPEN),
    *(ActionKind.ALIAS, ActionKind.AGEING_TIME),
)


def _with_switch(name: str, work: Callable[[LabSwitch, Target], Awaitable[None]], **traits: object) -> None:
    async def run() -> None:
        world = tarn_ferries.build()
        switch = world.switches[name]
        switch.traits = replace(switch.traits, **traits)  # type: ignore[arg-type]
        site = Site(world, CLOCK, port=free_udp_port())
        site.open()
        try:
            user = LAB_USER if switch.traits.v3 else None
            await work(
                switch, Target(host=switch.address, port=site.farm.port, community="tarn-write", user=user)
            )
        finally:
            site.farm.close()

    asyncio.run(run())


async def _write(target: Target, one: WrittenObject, value: str) -> Answer:
    agent, writer = writing(target, CLOCK, LIMITS)
    async with agent:
        return await writer.write(one, value)


async def _read(target: Target, one: WrittenObject, interface: int | None = None) -> tuple[str | None, str]:
    agent, writer = writing(target, CLOCK, LIMITS)
    async with agent:
        return await writer.read(one, interface)


@pytest.mark.parametrize("name", ["ticket-hall", "weighbridge"])
def test_a_port_is_closed_and_opened_and_so_its_switch_behaves(name: str) -> None:
    """Over v2c, and over v3 with SHA-256 and AES-128."""

    async def work(switch: LabSwitch, target: Target) -> None:
        port = next(
            one for one in switch.ports.values() if any(row.port == one.number for row in switch.fdb.values())
        )
        status = written_object(CLOSE, port.number)
        assert await _read(target, status, port.number) == ("up", port.name)
        assert await _write(target, status, "down") == Answer(done=True)
        assert await _read(target, status, port.number) == ("down", port.name)
        assert not port.up and all(row.port != port.number for row in switch.fdb.values()), (
            "its entries leave"
        )
        assert await _write(target, written_object(REOPEN, port.number), "up") == Answer(done=True)
        assert port.up
        assert await _write(target, written_object(ALIAS, port.number), "gate é") == Answer(done=True)
        assert port.alias == "gate é"
        assert await _write(target, written_object(AGEING, None), "600") == Answer(done=True)
        assert (switch.ageing_s, await _read(target, written_object(AGEING, None))) == (600, ("600", ""))

    _with_switch(name, work)


def test_what_a_switch_refuses_is_reported_by_name() -> None:
    async def work(switch: LabSwitch, target: Target) -> None:
        ageing = written_object(AGEING, None)
        assert (await _write(target, ageing, "5")).refused == "error wrong value"
        assert (await _write(target, written_object(ALIAS, 1), "x" * 65)).refused == "error wrong length"
        assert (await _write(target, written_object(CLOSE, 999), "down")).refused == "error no creation"
        assert (
            await _write(target, written_object(CLOSE, 1), "testing")
        ).refused == "error inconsistent value"
        reader = replace(target, community="tarn-read")
        assert (await _write(reader, ageing, "400")).refused == "error no access"
        stranger = replace(target, community="nonsense")
        answer = await _write(stranger, ageing, "400")
        assert not answer.done and "no answer within 1 s" in answer.silent
        with pytest.raises(DeviceSilent):
            await _read(stranger, ageing)
        switch.traits = replace(switch.traits, refuses_writes=True)
        assert (await _write(target, ageing, "400")).refused == "error not writable"
        assert switch.ageing_s == 300

    _with_switch("ticket-hall", work)


def test_an_answer_that_is_lost_says_nothing_of_what_was_done() -> None:
    async def work(switch: LabSwitch, target: Target) -> None:
        status = written_object(CLOSE, 3)
        assert (await _write(target, status, "down")).silent
        assert await _read(target, status, 3) == ("down", "p3"), "it was done all the same"

    _with_switch("ticket-hall", work, loses_write_answers=True)


@pytest.mark.parametrize("name", ["ticket-hall", "weighbridge"])
def test_net_snmp_sets_objects_of_a_simulated_switch(name: str) -> None:
    async def work(switch: LabSwitch, target: Target) -> None:
        access = ["-v2c", "-c", "tarn-write"]
        if switch.traits.v3:
            words = (LAB_USER.auth_password, LAB_USER.privacy_password)
            access = ["-v3", "-l", "authPriv", "-u", LAB_USER.name, "-a", "SHA-256", "-A", words[0]]
            access += ["-x", "AES", "-X", words[1]]
        base = [*access, "-On", "-m", "", target.address]

        async def program(name: str, *words: str) -> str:
            process = await asyncio.create_subprocess_exec(
                name, *base, *words, stdout=subprocess.PIPE, stderr=subprocess.STDOUT
            )
            return (await process.communicate())[0].decode()

        status, ageing = ".1.3.6.1.2.1.2.2.1.7.2", ".1.3.6.1.2.1.17.4.2.0"
        assert "INTEGER: 2" in await program("snmpset", status, "i", "2")
        assert "INTEGER: 2" in await program("snmpget", status)
        assert not switch.ports[2].admin_up
        assert "wrongType" in await program("snmpset", status, "s", "down")
        assert "wrongValue" in await program("snmpset", ageing, "i", "5")
        assert "notWritable" in await program("snmpset", ".1.3.6.1.2.1.2.2.1.2.2", "s", "other")
        assert "noCreation" in await program("snmpset", ".1.3.6.1.2.1.2.2.1.7.999", "i", "2")
        assert "INTEGER: 900" in await program("snmpset", ageing, "i", "900")
        assert switch.ageing_s == 900

    _with_switch(name, work)


@pytest.fixture
def snmpd(tmp_path: Path) -> Iterator[int]:
    """With a user and a community that may write."""
    config = (
        "rwcommunity tarn-write 127.0.0.1\n"
        "createUser writer SHA-256 ferry-across AES berth-lights\nrwuser writer authpriv\n"
    )
    with running_snmpd(tmp_path, config) as port:
        yield port


USER = User(
    name="writer",
    auth=Auth.SHA256,
    auth_password="ferry-across",
    privacy=True,
    privacy_password="berth-lights",
)


@pytest.mark.parametrize("user", [None, USER], ids=["v2c", "v3"])
def test_an_agent_nobody_here_wrote_is_written_and_read_back(snmpd: int, user: User | None) -> None:
    """The alias of its loopback interface: net-snmp keeps one for each interface."""
    target = Target(host="127.0.0.1", port=snmpd, community="tarn-write", user=user)
    alias = written_object(ALIAS, 1)

    async def work() -> None:
        assert await _write(target, alias, "quay side") == Answer(done=True)
        assert await _read(target, alias, 1) == ("quay side", "lo")
        reader = Target(host="127.0.0.1", port=snmpd, community="tarn-read")
        refused = (await _write(reader, alias, "other")).refused
        assert refused in ("error no access", "error not writable")
        assert await _read(target, alias, 1) == ("quay side", "lo")

    asyncio.run(work())
