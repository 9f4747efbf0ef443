"""Tries a credential on a switch without reading its tables."""

from dataclasses import dataclass
from datetime import timedelta

from kiteroll.clock import Clock
from kiteroll.collect.budget import Budget
from kiteroll.collect.exchange import ScalarGet
from kiteroll.collect.limits import Limits
from kiteroll.collect.snmp_client import Agent, Target
from kiteroll.collect.values import number, text
from kiteroll.core.errors import DeviceSilent
from kiteroll.core.model.uptime import uptime
from kiteroll.snmp import mib

_ASKED = (mib.SYS_NAME, mib.SYS_DESCR, mib.SYS_LOCATION, mib.SYS_UP_TIME, mib.DOT1D_BASE_BRIDGE_ADDRESS)


@dataclass(frozen=True, slots=True, kw_only=True)
class Identity:
    name: str
    description: str
    location: str
    up: timedelta | None
    bridges: bool
    """Whether it reports a bridge address: a device without one has no MAC address table to read."""
    took: timedelta


async def identify(target: Target, clock: Clock, limits: Limits) -> Identity:
    """Raises DeviceSilent, DeviceRefused (SNMPv3, with the reason) or Invalid (no such host)."""
    started = clock.monotonic()
    async with Agent(target, clock) as agent:
        get = ScalarGet(_ASKED, target.protocol, limits)
        ended = await agent.hold(get, Budget(clock, limits))
        if ended.silent and not get.values:
            raise DeviceSilent(target.address, f"{ended.why}. {agent.security.silence()}")
    ticks = number(get.values.get(mib.SYS_UP_TIME))
    return Identity(
        name=text(get.values.get(mib.SYS_NAME)),
        description=text(get.values.get(mib.SYS_DESCR)),
        location=text(get.values.get(mib.SYS_LOCATION)),
        up=None if ticks is None else uptime(ticks),
        bridges=mib.DOT1D_BASE_BRIDGE_ADDRESS in get.values,
        took=timedelta(seconds=clock.monotonic() - started),
    )
