"""Asks hosts to be heard: one datagram to each address, politely, then the switches are read again.

Any frame a host sends in answer makes the switches on its way learn it: that it answers the question of who
has the address (ARP, neighbour discovery) is enough. It takes no privileges: an ordinary socket sends it.
"""

import asyncio
import ipaddress
import logging
import socket
from collections import OrderedDict
from collections.abc import Awaitable, Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import datetime
from itertools import count

from kiteroll.app.logs import fields
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.clock import Clock
from kiteroll.core.errors import Conflict, KiteRollError, NotFound
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import mac_of
from kiteroll.core.port_actions.sweep import DISCARD_PORT, Network, addresses_to_ask
from kiteroll.store import inventory
from kiteroll.store.database import Database

log = logging.getLogger(__name__)
_SETTLE_S = 1.5
"""After the last datagram: the time an answer takes to be learned."""
_KEPT = 20
"""Sweeps that are remembered, the latest; until the service stops."""
_READ_AT_ONCE = 8


@dataclass(slots=True, kw_only=True)
class Sweep:
    """One sweep, as it goes on."""

    number: int
    asked: tuple[str, ...]
    addresses: int
    switches: tuple[str, ...]
    """Read again afterwards."""
    began_at: datetime
    by: str
    sent: int = 0
    read: int = 0
    not_read: list[str] = field(default_factory=list)
    state: str = "asking"
    """`asking`, `reading`, `done` or `failed`."""
    error: str = ""
    ended_at: datetime | None = None
    appeared: tuple[tuple[str, MacAddress], ...] = ()
    """Switch and address of those its table did not have before."""


class Sweeps:
    def __init__(
        self,
        database: Database,
        fleet: TrackedFleet,
        read_switch: Callable[[str], Awaitable[object]],
        networks: Sequence[Network],
        rate: float,
        clock: Clock,
    ) -> None:
        """`networks`: those that may be asked; `rate`: addresses a second, at most."""
        self._database = database
        self._fleet = fleet
        self._read_switch = read_switch
        self._networks = networks
        self._rate = rate
        self._clock = clock
        self._numbers = count(1)
        self._sweeps: OrderedDict[int, Sweep] = OrderedDict()
        self._task: asyncio.Task[None] | None = None

    def all(self) -> list[Sweep]:
        """Latest first."""
        return list(reversed(self._sweeps.values()))

    def get(self, number: int) -> Sweep:
        """Raises NotFound."""
        if (found := self._sweeps.get(number)) is None:
            raise NotFound("sweep", str(number), f"the latest {_KEPT} are kept, until the service stops")
        return found

    async def begin(self, asked: Sequence[str], switches: Sequence[str], by: str) -> Sweep:
        """Ask these networks or addresses, then read these switches, or every one. Raises Invalid, NotFound
        for a switch, Conflict while another sweep goes on."""
        addresses = addresses_to_ask(asked, self._networks)
        names = await asyncio.to_thread(self._switches, switches)
        if self._task is not None and not self._task.done():
            raise Conflict("a sweep goes on: wait for it, one goes on at a time")
        sweep = Sweep(
            number=next(self._numbers),
            asked=tuple(asked),
            addresses=len(addresses),
            switches=tuple(names),
            began_at=self._clock.now(),
            by=by,
        )
        self._sweeps[sweep.number] = sweep
        while len(self._sweeps) > _KEPT:
            self._sweeps.popitem(last=False)
        self._task = asyncio.create_task(self._run(sweep, addresses), name=f"sweep:{sweep.number}")
        return sweep

    async def stop(self) -> None:
        """The service stops."""
        if self._task is not None:
            self._task.cancel()
            with suppress(asyncio.CancelledError):
                await self._task

    def _switches(self, wanted: Sequence[str]) -> list[str]:
        if wanted:
            return [self._database.run(inventory.get_switch, name).name for name in dict.fromkeys(wanted)]
        rows = self._database.run(inventory.all_switches)
        return sorted(row.name for row in rows if row.is_read)

    async def _run(self, sweep: Sweep, addresses: Sequence[str]) -> None:
        try:
            before = await asyncio.to_thread(self._present, sweep.switches)
            await self._send_probes(sweep, addresses)
            await self._clock.sleep(_SETTLE_S)
            sweep.state = "reading"
            await self._read(sweep)
            after = await asyncio.to_thread(self._present, sweep.switches)
            new = [(name, mac) for name, macs in after.items() for mac in sorted(macs - before[name])]
            sweep.appeared, sweep.state = tuple(new), "done"
        except KiteRollError as failed:
            sweep.state, sweep.error = "failed", str(failed)
        except Exception:
            log.exception("a sweep failed", extra=fields("sweep.failed", number=sweep.number))
            sweep.state, sweep.error = "failed", "it failed; the service's log has the details"
        finally:
            sweep.ended_at = self._clock.now()

    async def _send_probes(self, sweep: Sweep, addresses: Sequence[str]) -> None:
        """One datagram an address, evenly: the switches on the way get no burst."""
        for address in addresses:
            family = socket.AF_INET if ipaddress.ip_address(address).version == 4 else socket.AF_INET6
            with socket.socket(family, socket.SOCK_DGRAM) as sock:
                sock.setblocking(False)
                with suppress(
                    OSError
                ):  # no way there, or nobody answers for it: others are asked all the same
                    sock.sendto(b"", (address, DISCARD_PORT))
            sweep.sent += 1
            await self._clock.sleep(1 / self._rate)

    async def _read(self, sweep: Sweep) -> None:
        slots = asyncio.Semaphore(_READ_AT_ONCE)

        async def one(name: str) -> None:
            async with slots:
                try:
                    await self._read_switch(name)
                    sweep.read += 1
                except KiteRollError as failed:
                    sweep.not_read.append(f"{name}: {failed}")

        async with asyncio.TaskGroup() as tasks:
            for name in sweep.switches:
                tasks.create_task(one(name))

    def _present(self, switches: Sequence[str]) -> dict[str, set[MacAddress]]:
        tracker = self._fleet.tracker
        return {name: {mac_of(key) for key in tracker.table(name).learned} for name in switches}
