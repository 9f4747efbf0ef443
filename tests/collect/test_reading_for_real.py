"""Reading agents over real UDP: the simulated ones, net-snmp's snmpd, and none at all."""

import asyncio
from collections.abc import Iterator
from dataclasses import replace
from datetime import timedelta
from pathlib import Path

import pytest

from kiteroll.clock import SystemClock
from kiteroll.collect.limits import Limits
from kiteroll.collect.poller import Poller, PollResult, PollTarget
from kiteroll.collect.snmp_client import Target
from kiteroll.collect.snmp_reader import read_switch
from kiteroll.core.errors import Conflict, DeviceRefused, DeviceSilent, Invalid, NotFound
from kiteroll.core.model.reading import Reading, Status, key_of
from kiteroll.lab import tarn_ferries
from kiteroll.lab.site import Site
from kiteroll.snmp.message import V1, V2C
from kiteroll.snmp.usm import Auth, User
from tests.support.net_snmp import running_snmpd
from tests.support.ports import free_udp_port

CLOCK = SystemClock()
HASTY = Limits(timeout_s=0.1, tries=2, total_s=5)


def _target(site: Site, name: str, **other: object) -> Target:
    values = {"host": site.world.switches[name].address, "port": site.farm.port, "community": "tarn-read"}
    return Target(**{**values, **other})  # type: ignore[arg-type]


def _with_site(work) -> object:  # type: ignore[no-untyped-def]
    async def run() -> object:
        site = Site(tarn_ferries.build(traits={}), CLOCK, port=free_udp_port())
        site.open()
        with site.farm:
            return await work(site)

    return asyncio.run(run())


def test_a_round_of_the_demo_network_reads_what_its_switches_learned() -> None:
    async def work(site: Site) -> None:
        names = list(site.world.switches)
        readings = await asyncio.gather(
            *(read_switch(name, _target(site, name), CLOCK, Limits()) for name in names)
        )
        for name, reading in zip(names, readings, strict=True):
            switch = site.world.switches[name]
            outer = {key: row.port for key, row in switch.fdb.items() if not switch.ports[row.port].inner}
            expected = {key_of(mac, vlan): port for (vlan, mac), port in outer.items()}
            assert reading.complete and dict(reading.learned) == expected
            assert reading.device.name == name and reading.device.bridge_address == switch.mac
            assert [vlan.id for vlan in reading.vlans] == sorted(switch.vlans)
            assert [port.name for port in reading.ports] == [f"p{number}" for number in range(1, 25)]
            assert [entry.status for entry in reading.others] == [Status.SELF]

    _with_site(work)


def test_version_1_reads_the_same_table() -> None:
    async def work(site: Site) -> None:
        two = await read_switch("a", _target(site, "quay-1", version=V2C), CLOCK, Limits())
        one = await read_switch("a", _target(site, "quay-1", version=V1), CLOCK, Limits())
        assert one.complete and dict(one.learned) == dict(two.learned)

    _with_site(work)


@pytest.mark.parametrize(
    ("wrong", "note"), [({"community": "nonsense"}, "community is wrong"), ({"port": 9}, "nothing listens")]
)
def test_a_switch_that_does_not_answer_is_silent_with_what_was_tried(
    wrong: dict[str, object], note: str
) -> None:
    async def work(site: Site) -> None:
        with pytest.raises(DeviceSilent) as silent:
            await read_switch("a", _target(site, "quay-1", **wrong), CLOCK, HASTY)
        assert "no answer to 2 tries" in str(silent.value) and note in str(silent.value)

    _with_site(work)


def test_a_host_that_does_not_resolve_is_the_askers_fault() -> None:
    with pytest.raises(Invalid, match="no host name that resolves"):
        asyncio.run(read_switch("a", Target(host="no-such-host.invalid"), CLOCK, HASTY))


def test_one_silent_switch_holds_up_no_other_and_is_asked_again_later() -> None:
    async def work(site: Site) -> None:
        results: list[PollResult] = []
        enough = asyncio.Event()

        async def store(result: PollResult) -> PollResult:
            results.append(result)
            if [one.switch for one in results].count(1) >= 4 and any(one.switch == 2 for one in results):
                enough.set()
            return result

        poller = Poller(CLOCK, Limits(timeout_s=0.5, tries=2), store, concurrency=4)
        interval = timedelta(seconds=0.3)
        poller.assign(PollTarget(switch=1, name="quay-1", agent=_target(site, "quay-1"), interval=interval))
        dead = _target(site, "quay-1", community="nonsense")
        poller.assign(PollTarget(switch=2, name="dead", agent=dead, interval=interval))
        running = asyncio.create_task(poller.run())
        await asyncio.wait_for(enough.wait(), 30)
        with pytest.raises(NotFound):
            await poller.read_now(3)
        with pytest.raises(Conflict):
            await asyncio.gather(poller.read_now(1), poller.read_now(1))
        poller.dismiss(2)
        running.cancel()
        await asyncio.gather(running, return_exceptions=True)
        good = [result for result in results if result.switch == 1]
        bad = [result for result in results if result.switch == 2]
        assert all(isinstance(result.outcome, Reading) for result in good)
        assert 1 <= len(bad) <= 2 and isinstance(bad[0].outcome, DeviceSilent)

    _with_site(work)


@pytest.fixture
def snmpd(tmp_path: Path) -> Iterator[int]:
    config = (
        "sysName yard-host\nsysLocation Yard\n"
        "createUser reader SHA-256 ferry-across AES berth-lights\nrouser reader authpriv\n"
        "createUser plain SHA ferry-across\nrouser plain authnopriv\n"
    )
    with running_snmpd(tmp_path, config) as port:
        yield port


def test_an_agent_nobody_here_wrote_is_read(snmpd: int) -> None:
    target = Target(host="127.0.0.1", port=snmpd, community="tarn-read")
    reading = asyncio.run(read_switch("yard", target, CLOCK, Limits()))
    assert reading.complete and not reading.learned
    assert (reading.device.name, reading.device.location) == ("yard-host", "Yard")
    assert "lo" in [port.name for port in reading.ports]
    assert reading.device.uptime_ticks is not None


@pytest.mark.parametrize(
    "user",
    [
        User(
            name="reader",
            auth=Auth.SHA256,
            auth_password="ferry-across",
            privacy=True,
            privacy_password="berth-lights",
        ),
        User(name="plain", auth=Auth.SHA1, auth_password="ferry-across"),
    ],
)
def test_snmpv3_of_an_agent_nobody_here_wrote_is_read(snmpd: int, user: User) -> None:
    reading = asyncio.run(
        read_switch("yard", Target(host="127.0.0.1", port=snmpd, user=user), CLOCK, Limits())
    )
    assert reading.complete and reading.device.name == "yard-host"


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"name": "nobody"}, "does not know this user"),
        ({"auth_password": "not-the-password"}, "authentication password or protocol is wrong"),
        ({"privacy_password": "not-the-password"}, "privacy password or protocol is wrong"),
    ],
)
def test_what_that_agent_refuses_is_told_apart(snmpd: int, changes: dict[str, str], said: str) -> None:
    user = User(
        name="reader",
        auth=Auth.SHA256,
        auth_password="ferry-across",
        privacy=True,
        privacy_password="berth-lights",
    )
    target = Target(host="127.0.0.1", port=snmpd, user=replace(user, **changes))  # type: ignore[arg-type]
    with pytest.raises((DeviceRefused, DeviceSilent), match=said):
        asyncio.run(read_switch("yard", target, CLOCK, HASTY))
