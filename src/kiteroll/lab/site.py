"""A world put on the wire: its switches' agents answering on loopback while its time runs on."""

import asyncio
from collections.abc import Callable
from datetime import UTC, datetime

from kiteroll.clock import Clock
from kiteroll.lab.agent import AgentFarm, AgentSettings
from kiteroll.lab.mib_view import MibView, switch_objects, uptime
from kiteroll.lab.switch import LabSwitch
from kiteroll.lab.world import World
from kiteroll.snmp import mib

SETTLE_S = 900.0
"""World seconds lived before anyone may look, so that tables are as full as they get."""
_STEP_S = 0.25
_BOOTED_ONCE = datetime(2026, 6, 1, tzinfo=UTC)


class Site:
    def __init__(
        self, world: World, clock: Clock, *, port: int, settings: AgentSettings | None = None
    ) -> None:
        self.world = world
        self.farm = AgentFarm(port)
        self._clock = clock
        self._settings = settings or AgentSettings()
        self._began = clock.monotonic()

    def open(self) -> None:
        """Settle the world and bind its agents. Raises Invalid when an address is taken."""
        self.world.advance(SETTLE_S)
        # Uptimes go on from where an earlier run left them: the demo was away, its switches were not.
        past_s = (self._clock.now() - _BOOTED_ONCE).total_seconds()
        for switch in self.world.switches.values():
            switch.booted_at -= past_s
        self._began = self._clock.monotonic() - SETTLE_S
        try:
            for switch in self.world.switches.values():
                self.farm.listen(switch.address, _view_of(switch, self.world), self._settings)
        except BaseException:
            self.farm.close()
            raise

    async def run(self) -> None:
        """Let the world live in real time, until cancelled."""
        try:
            while True:
                self.world.advance(self._clock.monotonic() - self._began)
                await asyncio.sleep(_STEP_S)
        finally:
            self.farm.close()


def _view_of(switch: LabSwitch, world: World) -> Callable[[], MibView | None]:
    """The switch's objects, encoded anew only when something in them changed."""
    built: tuple[object, MibView] | None = None

    def view() -> MibView | None:
        nonlocal built
        if not switch.answering:
            return None
        state = (switch.version, tuple((port.up, port.admin_up) for port in switch.ports.values()))
        if built is None or built[0] != state:
            built = (state, MibView(switch_objects(switch)))
        built[1].replace(mib.SYS_UP_TIME, uptime(world.now, switch.booted_at))
        return built[1]

    return view
