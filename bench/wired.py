"""Readings of a random network over the wire: real SNMP to agents that differ as those of different
makers do, while the network's own time stands still."""

import asyncio
import random
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from datetime import timedelta

from tests.support.ports import free_udp_port

from kiteroll.clock import SystemClock
from kiteroll.collect.limits import Limits
from kiteroll.collect.snmp_client import Target
from kiteroll.collect.snmp_reader import read_switch
from kiteroll.core.errors import DeviceError
from kiteroll.core.model.reading import Reading
from kiteroll.lab.agent import AgentFarm, AgentSettings
from kiteroll.lab.random_worlds import START, Net
from kiteroll.lab.site import views_of
from kiteroll.lab.traits import PLAIN, Traits

COMMUNITY = "tarn-read"
MAKERS = (
    PLAIN,
    Traits(database_offset=1000, bridge_port_offset=64),
    Traits(most_bindings=20, loss=0.01),
    Traits(status_column=False, time_filter_marks=20),
    Traits(length_in_index=True, old_table=False),
    Traits(maps_databases=False),
    Traits(views=f"{COMMUNITY}@{{vlan}}", vlan_table=False),
)
_LIMITS = Limits(timeout_s=0.3, tries=4, total_s=30)


class Wire:
    """Reads switches of one network, one after another."""

    def __init__(self, net: Net, dice: random.Random, loop: asyncio.AbstractEventLoop) -> None:
        self._net = net
        self._loop = loop
        self._port = free_udp_port()
        self.farm = AgentFarm(self._port)
        for number, switch in enumerate(net.world.switches.values(), start=1):
            switch.address = f"127.78.{number // 250}.{number % 250 + 1}"
            switch.traits = dice.choice(MAKERS)
            self.farm.listen(
                switch.address,
                views_of(switch, net.world, lldp=net.lldp),
                AgentSettings(community=COMMUNITY, traits=switch.traits),
            )

    def read(self, name: str) -> Reading | None:
        """None when the switch could not be read, as it happens."""
        switch = self._net.world.switches[name]
        switch.age(self._net.world.now)
        template = switch.traits.views
        target = Target(
            host=switch.address,
            port=self._port,
            community=COMMUNITY,
            view_community=template,
            view_vlans=tuple(switch.vlans) if template else (),
        )
        try:
            reading = self._loop.run_until_complete(read_switch(name, target, SystemClock(), _LIMITS))
        except DeviceError:
            return None
        return replace(reading, taken_at=START + timedelta(seconds=self._net.world.now))


@contextmanager
def wired(net: Net, dice: random.Random) -> Iterator[Wire]:
    loop = asyncio.new_event_loop()
    try:
        yield loop.run_until_complete(_wire(net, dice, loop))
    finally:
        loop.close()


async def _wire(net: Net, dice: random.Random, loop: asyncio.AbstractEventLoop) -> Wire:
    return Wire(net, dice, loop)
