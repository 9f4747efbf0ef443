"""Writes single objects of a switch, and reads them back: what it answers is never taken for what it did."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from kiteroll.clock import Clock
from kiteroll.collect.budget import Budget
from kiteroll.collect.exchange import ObjectSet, ScalarGet
from kiteroll.collect.limits import Limits
from kiteroll.collect.snmp_client import Agent, Target
from kiteroll.collect.values import number, text
from kiteroll.core.errors import DeviceRefused, DeviceSilent
from kiteroll.core.port_actions.actions import ActionKind
from kiteroll.snmp import ber, mib
from kiteroll.snmp.ber import Oid
from kiteroll.snmp.message import Value

_UP, _DOWN = 1, 2
_STATUS = {"up": _UP, "down": _DOWN, "testing": 3}
_WORDS = {value: word for word, value in _STATUS.items()}


@dataclass(frozen=True, slots=True)
class WrittenObject:
    """One object that can be written, as its MIB has it."""

    name: str
    """`ifAdminStatus.7`"""
    oid: Oid
    kind: ActionKind

    def encode(self, value: str) -> bytes:
        if self.kind is ActionKind.ALIAS:
            return ber.encode(ber.OCTET_STRING, value.encode())
        return ber.encode_int(_STATUS[value] if self.kind.of_port else int(value))

    def decode(self, value: Value | None) -> str | None:
        """In the words of the MIB; None where the agent does not have it."""
        if value is None:
            return None
        if self.kind is ActionKind.ALIAS:
            return text(value)
        found = number(value)
        if found is None:
            return None
        return _WORDS.get(found, str(found)) if self.kind.of_port else str(found)


def written_object(kind: ActionKind, interface: int | None) -> WrittenObject:
    """`interface`: ifIndex of the port; None for what is of the switch."""
    if kind is ActionKind.AGEING_TIME:
        return WrittenObject("dot1dTpAgingTime.0", mib.DOT1D_TP_AGING_TIME, kind)
    if interface is None:
        raise AssertionError(f"{kind} is of a port")
    name, column = (
        ("ifAlias", mib.IF_ALIAS) if kind is ActionKind.ALIAS else ("ifAdminStatus", mib.IF_ADMIN_STATUS)
    )
    return WrittenObject(f"{name}.{interface}", (*column, interface), kind)


def wanted_value(kind: ActionKind, value: str) -> str:
    """What the object is to say."""
    match kind:
        case ActionKind.CLOSE:
            return "down"
        case ActionKind.REOPEN:
            return "up"
        case _:
            return value


@dataclass(frozen=True, slots=True)
class Answer:
    """What the switch answered to a SET."""

    done: bool
    refused: str = ""
    """`error not writable`, where it refused."""
    silent: str = ""
    """Where it did not answer: it may have done it."""


class SwitchWriter:
    """One switch, asked with the credential that may write."""

    def __init__(self, agent: Agent, clock: Clock, limits: Limits) -> None:
        self._agent = agent
        self._clock = clock
        self._limits = limits

    async def read(self, one: WrittenObject, interface: int | None) -> tuple[str | None, str]:
        """What the object says, and the name of the port at that ifIndex (ifName, else ifDescr), for numbers
        may change with a restart. Raises DeviceSilent or DeviceRefused."""
        names = () if interface is None else ((*mib.IF_NAME, interface), (*mib.IF_DESCR, interface))
        values = await self._get((one.oid, *names))
        texts = [text(values.get(name)) for name in names]
        return one.decode(values.get(one.oid)), next((name for name in texts if name), "")

    async def write(self, one: WrittenObject, value: str) -> Answer:
        """Send it once. Raises DeviceRefused where an SNMPv3 engine does not let us in."""
        send = ObjectSet([(one.oid, one.encode(value))], self._agent.target.protocol, self._limits)
        await self._agent.hold(send, self._budget())
        if send.answered:
            return Answer(done=True)
        end = send.next()
        why = getattr(end, "why", "")
        return Answer(False, refused=send.refused) if send.refused else Answer(False, silent=why)

    async def _get(self, objects: tuple[Oid, ...]) -> Mapping[Oid, Value]:
        get = ScalarGet(objects, self._agent.target.protocol, self._limits)
        end = await self._agent.hold(get, self._budget())
        if end.silent:
            raise DeviceSilent(self._agent.target.address, end.why)
        if not end.complete:
            raise DeviceRefused(self._agent.target.address, end.why)
        return get.values

    def _budget(self) -> Budget:
        seconds = self._limits.timeout_s * (2**self._limits.tries)
        return Budget(self._clock, replace(self._limits, total_s=seconds))


def writing(target: Target, clock: Clock, limits: Limits) -> tuple[Agent, SwitchWriter]:
    """The agent, to be entered, and what writes over it."""
    agent = Agent(target, clock)
    return agent, SwitchWriter(agent, clock, limits)
