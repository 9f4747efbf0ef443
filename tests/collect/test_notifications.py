"""Notifications as real senders send them: net-snmp's snmptrap and snmpinform, and our own switches."""

import asyncio
import socket
import subprocess
from collections.abc import Awaitable, Callable, Iterator, Sequence

import pytest

from kiteroll.clock import SystemClock
from kiteroll.collect.notification_listener import LocalEngine, NotificationListener, Sender
from kiteroll.core.model.mac import MacAddress
from kiteroll.lab.notifier import LAB_USER
from kiteroll.lab.site import Site
from kiteroll.lab.switch import LabPort, LabSwitch
from kiteroll.lab.traits import Traits
from kiteroll.lab.world import Host, World
from kiteroll.snmp.message import V2C, PduType, wrap
from kiteroll.snmp.notification import Notification, notification_pdu
from kiteroll.snmp.usm import Auth, User
from tests.support.clock import ManualClock
from tests.support.ports import free_udp_port

READER = User(
    name="terminal-reader",
    auth=Auth.SHA256,
    auth_password="ferry-across-the-tarn",
    privacy=True,
    privacy_password="berth-lights-at-dusk",
)
USER = (
    *("-v3", "-u", READER.name, "-l", "authPriv", "-a", "SHA-256", "-A", READER.auth_password),
    *("-x", "AES", "-X", READER.privacy_password),
)
LINK_DOWN = ("", "1.3.6.1.6.3.1.1.5.3", "1.3.6.1.2.1.2.2.1.1.7", "i", "7")
COLD_START = ("", "1.3.6.1.6.3.1.1.5.1")
OTHER = ("", "1.3.6.1.4.1.99999.1")
ENGINE = LocalEngine(b"\x80\x00\x00\x00\x05kite-ear", 3)


_LAST = "127.77.9.99"
"""Where the last datagram of a test comes from."""


class Receiver:
    """Our receiver on a free port, and what it received."""

    def __init__(self, senders: dict[str, Sequence[Sender]]) -> None:
        self.port = free_udp_port()
        self._known = senders
        self._last_arrived = asyncio.Event()
        self.received: list[tuple[tuple[str, ...], Notification]] = []
        self.notifications = NotificationListener(
            ENGINE,
            SystemClock(),
            self._senders,
            self._on_notification,
        )

    def _on_notification(self, names: Sequence[str], notification: Notification) -> None:
        self.received.append((tuple(names), notification))

    def during(self, work: Callable[[], Awaitable[object]]) -> list[tuple[tuple[str, ...], Notification]]:
        async def run() -> None:
            loop = asyncio.get_running_loop()
            transport, _ = await loop.create_datagram_endpoint(
                lambda: self.notifications, local_addr=("127.0.0.1", self.port)
            )
            try:
                await work()
                await self._arrived()
            finally:
                transport.close()

        asyncio.run(run())
        return self.received

    def _senders(self, host: str) -> Sequence[Sender]:
        if host == _LAST:
            self._last_arrived.set()
        return self._known.get(host, ())

    async def _arrived(self) -> None:
        """All that was sent to our port: datagrams on loopback keep their order, and this one is last."""
        self._last_arrived = asyncio.Event()
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as last:
            last.bind((_LAST, 0))
            last.sendto(b"last", ("127.0.0.1", self.port))
        await asyncio.wait_for(self._last_arrived.wait(), 20)
        self.notifications.dropped -= 1

    def sent(self, program: str, *words: str) -> tuple[int, list[tuple[tuple[str, ...], Notification]]]:
        """What is received of one run of net-snmp's program, and its exit code."""
        code = 0

        async def work() -> None:
            nonlocal code
            options, what = words[: words.index("")], words[words.index("") :]
            process = await asyncio.create_subprocess_exec(
                program, *options, "-r", "1", "-t", "1", f"127.0.0.1:{self.port}", *what,
                stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
            )  # fmt: skip
            code = await process.wait()

        received = self.during(work)
        return code, received


def by_community() -> dict[str, Sequence[Sender]]:
    return {"127.0.0.1": (Sender("quay-1", None, frozenset({b"any"})),)}


def by_user(user: User = READER) -> dict[str, Sequence[Sender]]:
    return {"127.0.0.1": (Sender("weighbridge", user),)}


def test_a_v2c_trap_is_received() -> None:
    _, received = Receiver(by_community()).sent("snmptrap", "-v2c", "-c", "any", *LINK_DOWN)
    assert received == [(("quay-1",), Notification("linkDown", 7))]


def test_a_v2c_inform_is_received_and_answered() -> None:
    code, received = Receiver(by_community()).sent("snmpinform", "-v2c", "-c", "any", *COLD_START)
    assert (code, received) == (0, [(("quay-1",), Notification("coldStart", None))])


def test_a_v3_trap_is_received_when_its_user_is_the_one_the_switch_is_asked_as() -> None:
    engine = ("-e", "0x8000000005aabbccdd", "-Z", "4,1000")
    _, received = Receiver(by_user()).sent("snmptrap", *USER, *engine, *LINK_DOWN)
    assert received == [(("weighbridge",), Notification("linkDown", 7))]


def test_a_v3_inform_discovers_our_engine_and_is_answered() -> None:
    code, received = Receiver(by_user()).sent("snmpinform", *USER, *LINK_DOWN)
    assert (code, received) == (0, [(("weighbridge",), Notification("linkDown", 7))])


@pytest.mark.parametrize(
    ("senders", "program", "words"),
    [
        ({}, "snmptrap", ("-v2c", "-c", "any", *LINK_DOWN)),
        (by_community(), "snmptrap", ("-v2c", "-c", "another", *LINK_DOWN)),
        (by_user(), "snmptrap", ("-v2c", "-c", "any", *LINK_DOWN)),
        (by_user(), "snmptrap", (*USER[:-1], "another-key-entirely", "-e", "0x8000000005aabb", *LINK_DOWN)),
        (by_user(), "snmpinform", (*USER[:8], "the-wrong-password", *USER[9:], *LINK_DOWN)),
        (by_community(), "snmptrap", (*USER, "-e", "0x8000000005aabb", *LINK_DOWN)),
    ],
    ids=[
        "stranger",
        "another community",
        "v2c for v3",
        "wrong key",
        "wrong password",
        "v3 for v2c",
    ],
)
def test_what_cannot_be_trusted_is_dropped(
    senders: dict[str, Sequence[Sender]], program: str, words: tuple[str, ...]
) -> None:
    receiver = Receiver(senders)
    _, received = receiver.sent(program, *words)
    assert received == []
    assert receiver.notifications.dropped or program == "snmpinform"


def test_a_trap_from_before_a_restart_is_an_old_one_repeated() -> None:
    receiver = Receiver(by_user())
    for times in ("5,100", "4,9000", "5,101"):
        receiver.sent("snmptrap", *USER, "-e", "0x8000000005aabbccdd", "-Z", times, *LINK_DOWN)
    assert len(receiver.received) == 2
    assert receiver.notifications.dropped == 1


def test_other_notifications_have_no_name_and_garbage_is_dropped() -> None:
    receiver = Receiver(by_community())
    _, received = receiver.sent("snmptrap", "-v2c", "-c", "any", *OTHER)
    assert received == [(("quay-1",), Notification("", None))]

    async def garbage() -> None:
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sock:
            for data in (b"", b"\x30", b"\x30\x82", b"\x30\x03\x02\x01\x03", bytes(range(256))):
                sock.sendto(data, ("127.0.0.1", receiver.port))

    receiver.during(garbage)
    assert receiver.notifications.dropped == 5


@pytest.fixture
def world() -> Iterator[World]:
    world = World()
    for number, v3 in enumerate((False, True), 1):
        switch = LabSwitch(
            name=f"quay-{number}",
            mac=MacAddress(0x021AF0000000 + number),
            address=f"127.77.9.{number}",
            traits=Traits(v3=v3),
        )
        switch.ports = {at: LabPort(number=at, name=f"p{at}") for at in (1, 2)}
        world.add_switch(switch)
    host = Host(name="cradle", kind="cradle", mac=MacAddress(0x021A07000001), vlan=1, every_s=10)
    host.at = ("quay-1", 1)
    world.add_host(host)
    yield world


def test_simulated_switches_report_their_links(world: World) -> None:
    receiver = Receiver(
        {
            "127.77.9.1": (Sender("quay-1", None, frozenset({b"tarn-read"})),),
            "127.77.9.2": (Sender("quay-2", LAB_USER),),
        }
    )

    async def work() -> None:
        site = Site(world, SystemClock(), port=free_udp_port(), notify=("127.0.0.1", receiver.port))
        site.open()
        task = asyncio.create_task(site.run())
        before = world.now
        while world.now == before:  # noqa: ASYNC110 - the first step notes how links are to begin with
            await asyncio.sleep(0)
        world.move(world.hosts["cradle"], ("quay-2", 2))
        async with asyncio.timeout(20):
            while len(receiver.received) < 2:  # noqa: ASYNC110 - within the limit above
                await asyncio.sleep(0)
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)

    received = receiver.during(work)
    assert set(received) == {
        (("quay-1",), Notification("linkDown", 1)),
        (("quay-2",), Notification("linkUp", 2)),
    }


def test_a_flood_of_one_sender_is_cut_to_what_a_switch_could_have_to_say() -> None:
    received: list[Notification] = []
    clock = ManualClock()
    listener = NotificationListener(
        ENGINE, clock, lambda host: by_community()["127.0.0.1"], lambda _, one: received.append(one)
    )
    pdu = notification_pdu(PduType.TRAP, 1, 100, "linkDown", [7])
    trap = wrap(V2C, b"any", pdu)
    for _ in range(1000):
        listener.datagram_received(trap, ("127.0.0.1", 4000))
    assert (len(received), listener.dropped) == (200, 800)
    listener.datagram_received(trap, ("127.0.0.2", 4000))
    clock.advance(1)
    for _ in range(100):
        listener.datagram_received(trap, ("127.0.0.1", 4000))
    assert len(received) == 200 + 1 + 20
