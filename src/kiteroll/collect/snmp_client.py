"""One SNMP agent, and the exchanges with it, one after the other."""

import asyncio
import socket
import sys
from contextlib import AsyncExitStack
from dataclasses import dataclass, field, replace
from types import TracebackType
from typing import Self
from weakref import WeakKeyDictionary

from kiteroll.clock import Clock
from kiteroll.collect.budget import Budget
from kiteroll.collect.exchange import Exchange, ExchangeEnd
from kiteroll.collect.security import ByCommunity, ByUser, Reported, Security
from kiteroll.collect.wire import Wire
from kiteroll.core.errors import DeviceRefused, DeviceSilent, Invalid
from kiteroll.snmp.message import V2C
from kiteroll.snmp.usm import V3, User

_LONG = 400
"""Requests after which an exchange is a long one: most tables are read with fewer."""
_LONG_AT_ONCE = 4
"""Long exchanges go on a few at a time: an agent that has no end is not to take all the time there is."""
_long: WeakKeyDictionary[asyncio.AbstractEventLoop, asyncio.Semaphore] = WeakKeyDictionary()


@dataclass(frozen=True, slots=True, kw_only=True)
class Target:
    """Where a switch answers and what it wants to hear."""

    host: str
    port: int = 161
    community: str = field(default="public", repr=False)
    version: int = V2C
    """V1 or V2C; with `user` it is V3."""
    user: User | None = None
    context: str = ""
    """SNMPv3 context name: which view of the switch is asked for."""
    view_community: str = field(default="", repr=False)
    """Template with {vlan}: community that shows the table of one VLAN, on switches that offer
    it one VLAN at a time."""
    view_context: str = ""
    """The same as an SNMPv3 context."""
    view_vlans: tuple[int, ...] = ()
    """VLANs to look at so; empty: those the switch reports."""

    @property
    def address(self) -> str:
        host = f"[{self.host}]" if ":" in self.host else self.host
        return f"{host}:{self.port}"

    @property
    def protocol(self) -> int:
        return V3 if self.user is not None else self.version

    @property
    def by_vlan(self) -> bool:
        return bool(self.view_context if self.user else self.view_community)

    def view(self, vlan: int) -> "Target":
        """The same switch, seen through the view of one VLAN."""
        if self.user is not None:
            return replace(self, context=self.view_context.replace("{vlan}", str(vlan)))
        return replace(self, community=self.view_community.replace("{vlan}", str(vlan)))

    def security(self) -> Security:
        if self.user is not None:
            return ByUser(self.user, self.context)
        return ByCommunity(self.version, self.community)


def _long_exchanges() -> asyncio.Semaphore:
    """The turns for long exchanges, of this event loop."""
    return _long.setdefault(asyncio.get_running_loop(), asyncio.Semaphore(_LONG_AT_ONCE))


class Agent:
    """One UDP socket, connected to one agent. One request is in flight at a time."""

    def __init__(self, target: Target, clock: Clock) -> None:
        self.target = target
        self.security = target.security()
        self._wire = Wire(self.security, clock)

    async def __aenter__(self) -> Self:
        """Open the socket. Raises Invalid when the host has no address, DeviceSilent when there is
        no way to it."""
        loop = asyncio.get_running_loop()
        try:
            self._wire.transport, _ = await loop.create_datagram_endpoint(
                lambda: self._wire, remote_addr=(self.target.host, self.target.port)
            )
        except socket.gaierror as unknown:
            raise Invalid(
                f"{self.target.host!r} is no IP address and no host name that resolves ({unknown.strerror})"
            ) from unknown
        except OSError as no_way:
            raise DeviceSilent(self.target.address, f"no way there: {no_way.strerror}") from no_way
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._wire.transport is not None:
            self._wire.transport.close()

    async def hold(self, talk: Exchange, budget: Budget) -> ExchangeEnd:
        """Carry one exchange to its end; once the budget is used up it is broken off.

        Raises DeviceRefused when an SNMPv3 engine will not have us, with its reason.
        """
        try:
            await self._wire.carry(talk, budget, _LONG)
            if talk.ended is None:
                await self._carry_on(talk, budget)
        except Reported as report:
            raise DeviceRefused(self.target.address, f"SNMPv3: {report}") from report
        if talk.ended is None:
            raise AssertionError("an exchange is carried to its end")
        return talk.ended

    async def _carry_on(self, talk: Exchange, budget: Budget) -> None:
        """The further requests of a long exchange, when its turn has come."""
        async with AsyncExitStack() as turn:
            if await budget.turn(turn.enter_async_context(_long_exchanges())):
                await self._wire.carry(talk, budget, sys.maxsize)
            else:
                talk.end("others read tables as long at the same time, and its turn did not come")
