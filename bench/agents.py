"""Simulated agents with full tables, in a process of their own, for collection to be measured against."""

import argparse
import asyncio
import json
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager

from kiteroll.core.model.mac import MacAddress
from kiteroll.lab.agent import AgentFarm, AgentSettings
from kiteroll.lab.mib_view import MibView
from kiteroll.lab.objects import switch_objects
from kiteroll.lab.switch import LabPort, LabSwitch, Learned
from kiteroll.lab.traits import Traits

PORT = 16200


def full_switch(number: int, rows: int) -> LabSwitch:
    """A 48-port switch with `rows` learned addresses spread over its ports and five VLANs."""
    switch = LabSwitch(
        name=f"bench-{number}",
        mac=MacAddress(0x021AF0000000 | number << 8),
        address=f"127.78.{number // 250}.{number % 250 + 1}",
        vlans={vlan: f"v{vlan}" for vlan in range(10, 60, 10)},
    )
    switch.ports = {at: LabPort(number=at, name=f"p{at}", pvid=10, cabled=True) for at in range(1, 49)}
    for row in range(rows):
        mac = MacAddress(0x021A00000000 | number << 16 | row)
        switch.fdb[10 + 10 * (row % 5), mac] = Learned(1 + row % 48, 0.0)
    return switch


async def _serve(agents: int, rows: int, loss: float) -> None:
    farm = AgentFarm(PORT)
    addresses = []
    settings = AgentSettings(traits=Traits(loss=loss))
    for number in range(agents):
        switch = full_switch(number, rows)
        view = MibView(switch_objects(switch))
        farm.listen(switch.address, lambda view=view: {"": view}, settings)  # type: ignore[misc]
        addresses.append(switch.address)
    print(json.dumps(addresses), flush=True)
    await asyncio.Event().wait()


@contextmanager
def running(agents: int, rows: int, *, loss: float = 0.0) -> Iterator[list[str]]:
    """Addresses of that many agents, while they answer."""
    command = [sys.executable, "-m", "bench.agents", str(agents), str(rows), str(loss)]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    try:
        assert process.stdout is not None
        yield json.loads(process.stdout.readline())
    finally:
        process.terminate()
        process.wait()


if __name__ == "__main__":
    parser = argparse.ArgumentParser()
    parser.add_argument("agents", type=int)
    parser.add_argument("rows", type=int)
    parser.add_argument("loss", type=float)
    args = parser.parse_args()
    try:
        import uvloop

        uvloop.run(_serve(args.agents, args.rows, args.loss))
    except KeyboardInterrupt:
        pass
