"""A world put on the wire: its switches' agents answering on loopback while its time runs on."""

import asyncio
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime

from kiteroll.clock import Clock
from kiteroll.lab.agent import AgentFarm, AgentSettings, Views
from kiteroll.lab.mib_view import ticks
from kiteroll.lab.notifier import LAB_USER, Notifier, engine_of
from kiteroll.lab.objects import views
from kiteroll.lab.switch import LabSwitch
from kiteroll.lab.world import World
from kiteroll.lab.writes import writer_of
from kiteroll.snmp import mib

SETTLE_S = 900.0
"""World seconds lived before anyone may look, so that tables are as full as they get."""
_STEP_S = 0.25
BOOTED_ONCE = datetime(2026, 6, 1, tzinfo=UTC)
"""What the uptimes of the switches count from, beside their own."""


class Site:
    def __init__(
        self,
        world: World,
        clock: Clock,
        *,
        port: int,
        settings: AgentSettings | None = None,
        notify: tuple[str, int] | None = None,
    ) -> None:
        """`notify`: where its switches send their notifications; None: they send none."""
        self.world = world
        self.farm = AgentFarm(port)
        self._clock = clock
        self._settings = settings or AgentSettings()
        self._began = clock.monotonic()
        self._notifier = None if notify is None else Notifier(world, self.farm, self._settings, notify)

    def open(self) -> None:
        """Settle the world and bind its agents. Raises Invalid when an address is taken."""
        self.world.advance(SETTLE_S)
        # Uptimes go on from where an earlier run left them: the demo was away, its switches were not.
        past_s = (self._clock.now() - BOOTED_ONCE).total_seconds()
        for switch in self.world.switches.values():
            switch.booted_at -= past_s
        self._began = self._clock.monotonic() - SETTLE_S
        try:
            for switch in self.world.switches.values():
                self.farm.listen(switch.address, views_of(switch, self.world), self._settings_of(switch))
        except BaseException:
            self.farm.close()
            raise

    def _settings_of(self, switch: LabSwitch) -> AgentSettings:
        traits = switch.traits
        write = writer_of(switch, lambda: self.world.now)
        return replace(self._settings, traits=traits, engine=engine_of(switch), write=write)

    def write_access_to(self, switch: LabSwitch) -> dict[str, object]:
        """How it wants to be written, by the same names."""
        if switch.traits.v3:
            return self.access_to(switch)
        return {"community": self._settings.write_community}

    def access_to(self, switch: LabSwitch) -> dict[str, object]:
        """How the switch wants to be asked, by the names of `schemas.api.Credential`."""
        if switch.traits.v3:
            return {
                "version": "3",
                "user": LAB_USER.name,
                "auth": LAB_USER.auth,
                "auth_password": LAB_USER.auth_password,
                "privacy_password": LAB_USER.privacy_password,
            }
        access: dict[str, object] = {"community": self._settings.community}
        if switch.traits.views:
            access |= {"view": switch.traits.views, "view_vlans": sorted(switch.vlans)}
        return access

    async def run(self) -> None:
        """Let the world live in real time, until cancelled."""
        try:
            while True:
                self.world.advance(self._clock.monotonic() - self._began)
                if self._notifier is not None:
                    self._notifier.notify(int(asyncio.get_running_loop().time()))
                await asyncio.sleep(_STEP_S)
        finally:
            self.farm.close()


def views_of(switch: LabSwitch, world: World, *, lldp: bool = True) -> Callable[[], Views | None]:
    """The switch's objects, encoded again only when something in them changed; without `lldp` it hears
    no neighbours."""
    built: tuple[object, Views] | None = None

    def views_now() -> Views | None:
        nonlocal built
        if not switch.answering:
            return None
        state = (switch.version, tuple((port.up, port.admin_up) for port in switch.ports.values()))
        if built is None or built[0] != state:
            built = (state, views(switch, world.neighbours(switch.name) if lldp else {}))
        for view in built[1].values():
            view.replace(mib.SYS_UP_TIME, ticks(world.now - switch.booted_at))
        return built[1]

    return views_now
