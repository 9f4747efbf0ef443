"""Notifications of simulated switches: linkUp and linkDown (IF-MIB)."""

from itertools import count

from kiteroll.lab.agent import AgentFarm, AgentSettings
from kiteroll.lab.switch import LabSwitch
from kiteroll.lab.world import World
from kiteroll.snmp.authoritative_engine import AuthoritativeEngine
from kiteroll.snmp.message import V2C, PduType, wrap
from kiteroll.snmp.notification import notification_pdu
from kiteroll.snmp.usm import Auth, Engine, User, scoped_pdu, seal

LAB_USER = User(
    name="terminal-reader",
    auth=Auth.SHA256,
    auth_password="ferry-across-the-tarn",
    privacy=True,
    privacy_password="berth-lights-at-dusk",
)
"""The SNMPv3 user of simulated switches."""


def engine_of(switch: LabSwitch) -> AuthoritativeEngine | None:
    """Its SNMPv3 engine; None for a switch that is asked by community."""
    if not switch.traits.v3:
        return None
    engine_id = b"\x80\x00\x00\x00\x05" + switch.name.encode()[:24]
    return AuthoritativeEngine(engine_id, {LAB_USER.name.encode(): LAB_USER})


class Notifier:
    """Sends one notification for each port that went up or down since it looked last."""

    def __init__(self, world: World, farm: AgentFarm, settings: AgentSettings, to: tuple[str, int]) -> None:
        self._world = world
        self._farm = farm
        self._community = settings.community.encode()
        self._to = to
        self._numbers = count(1)
        self._up: dict[tuple[str, int], bool] | None = None

    def notify(self, engine_time_s: int) -> None:
        """`engine_time_s`: the clock of the SNMPv3 engines, as their agents report it."""
        now = {
            (switch.name, port.number): port.up
            for switch in self._world.switches.values()
            for port in switch.ports.values()
            if not port.inner
        }
        before, self._up = self._up, now
        for (name, port), up in now.items():
            switch = self._world.switches[name]
            if before is not None and before.get((name, port), up) != up and switch.answering:
                message = self._message(switch, port, "linkUp" if up else "linkDown", engine_time_s)
                self._farm.send(switch.address, message, self._to)

    def _message(self, switch: LabSwitch, port: int, name: str, engine_time_s: int) -> bytes:
        number = next(self._numbers)
        uptime_ticks = int((self._world.now - switch.booted_at) * 100) % 2**32
        pdu = notification_pdu(PduType.TRAP, number, uptime_ticks, name, (port,))
        authority = engine_of(switch)
        if authority is None:
            return wrap(V2C, self._community, pdu)
        here = Engine(authority.id, authority.boots, engine_time_s)
        return seal(LAB_USER, here, number, LAB_USER.flags, scoped_pdu(authority.id, b"", pdu))
