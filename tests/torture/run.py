"""The torture run: attacks of every kind, kills and database trouble, with good company throughout."""

import asyncio
import os
import random
import signal
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import timedelta
from pathlib import Path

from kiteroll.client import add_switch, health, remove_switch, switches
from kiteroll.core.errors import KiteRollError
from kiteroll.lab import tarn_ferries
from kiteroll.lab.agent import Views
from kiteroll.lab.site import views_of
from kiteroll.schemas.api import Credential, NewSwitch
from kiteroll.snmp.message import V2C, PduType, wrap
from kiteroll.snmp.notification import notification_pdu
from kiteroll.store.private_server import PrivateServer
from tests.support.database_proxy import DatabaseProxy
from tests.support.harness import Lab, Service, wait_until
from tests.support.hostile_agents import COMMUNITY, HostileFarm
from tests.support.memory import resident_mb
from tests.support.ports import free_tcp_port, free_udp_port
from tests.torture.attacks import HostileFiles, HostileRequests, Reported, flood
from tests.torture.company import LEDGER, Company, Worst

INTERVAL_S = 10
_AGENTS_AT_ONCE = 100
GOOD = "core-1"


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan:
    seed: int = 1
    agents: int = 1000
    files: int = 200
    requests: int = 2000
    kills: int = 100
    troubles: int = 10
    flood_s: float = 10.0


@dataclass
class Result:
    reported: dict[str, Reported] = field(default_factory=dict)
    deaths: int = 0
    acknowledged: int = 0
    lost: int = 0
    refused: int = 0
    live: Worst = field(default_factory=Worst)
    late: Worst = field(default_factory=Worst)
    memory_mb: int = 0
    memory_at_end_mb: int = 0
    log_lines: int = 0
    tracebacks: int = 0
    faults: list[str] = field(default_factory=list)
    took_s: float = 0.0

    @property
    def passed(self) -> bool:
        silent = sum(one.silent for one in self.reported.values())
        return not (self.deaths or self.lost or silent or self.faults) and (
            self.live.seconds <= 1.0 and self.late.seconds <= 3 * INTERVAL_S
        )


class Torture:
    def __init__(self, plan: Plan, directory: Path, say: Callable[[str], None] = lambda _: None) -> None:
        self._plan, self._directory, self._say = plan, directory, say
        self._rng = random.Random(plan.seed)
        self._database = PrivateServer(directory / "database")
        self._result = Result()
        self._traps = free_udp_port()

    def run(self) -> Result:
        began = time.monotonic()
        lab = Lab(free_udp_port())
        lab.start()
        try:
            with DatabaseProxy(self._database.start()) as proxy:
                self._proxy = proxy
                self._run(lab)
        finally:
            lab.stop()
            self._database.stop()
        self._result.took_s = time.monotonic() - began
        return self._result

    def _run(self, lab: Lab) -> None:
        self._folder = self._directory / "import"
        self._folder.mkdir()
        config = self._directory / "kiteroll.toml"
        config.write_text(
            f'[imports]\nfolder = "{self._folder}"\n'
            f'[notifications]\nenabled = true\nhost = "127.0.0.1"\nport = {self._traps}\n'
            '[reading]\ntimeout = "0.2s"\nswitch_timeout = "5s"\n'
        )
        named = {
            "KITEROLL_DATABASE_URL": self._proxy.url.render_as_string(hide_password=False),
            "KITEROLL_INTERVAL": f"{INTERVAL_S}s",
        }
        self._service = Service(
            self._directory / "data", free_tcp_port(), ("--config", str(config)), environment=named
        )
        self._service.data.mkdir()
        self._service.start()
        try:
            with self._service.client() as client:
                client.send(add_switch(lab.new_switch(GOOD)))
                client.send(add_switch(NewSwitch(name=LEDGER, source="files")))
            self._company = Company(self._service.url, self._service.token, GOOD, INTERVAL_S)
            self._back()
            self._attack()
            self._finish()
        finally:
            if self._alive():
                self._service.end(signal.SIGKILL)

    def _attack(self) -> None:
        plan = self._plan
        for phase, count, work in (
            ("agents", plan.agents, self._agents),
            ("files", plan.files, self._files),
            ("requests", plan.requests, self._requests),
            ("notifications", int(plan.flood_s), self._flood),
            ("database troubles", plan.troubles, self._troubles),
            ("kills", plan.kills, self._kills),
        ):
            began = time.monotonic()
            self._company.phase(phase)
            self._result.reported[phase] = work(count)
            if not self._alive():
                self._result.deaths += 1
                self._say(f"the service died: {self._service.log[-3000:]}")
                self._service.start()
            self._say(f"{phase}: {self._result.reported[phase]}, {time.monotonic() - began:.0f} s")

    def _finish(self) -> None:
        wait_until(self._well, "the service to be well again", seconds=60)
        company = self._company.end()
        result = self._result
        result.memory_at_end_mb = resident_mb(self._pid() or "none")
        result.lost = len(company.lost)
        result.acknowledged, result.refused = len(company.acknowledged), company.refused
        result.live, result.late = company.liveness, company.lateness
        result.memory_mb = company.memory_mb
        began = time.monotonic()
        code = self._service.end(seconds=60)
        self._say(f"ended with {code} in {time.monotonic() - began:.1f} s")
        log = self._service.log
        result.log_lines, result.tracebacks = log.count("\n"), log.count("Traceback")
        for line in log.splitlines():
            if "Traceback" in line:
                self._say(line[-600:])

    # --- agents ---------------------------------------------------------------------------

    def _agents(self, count: int) -> Reported:
        reported = Reported()
        world = tarn_ferries.build(traits={})
        world.advance(300)
        views = [views_of(one, world) for one in world.switches.values()]
        first = self._plan.seed * 100_000

        def some() -> Views:
            found = self._rng.choice(views)()
            assert found is not None
            return found

        for start in range(0, count, _AGENTS_AT_ONCE):
            numbers = range(first + start, first + min(count, start + _AGENTS_AT_ONCE))
            asyncio.run(self._read_agents(numbers, some, reported))
        return reported

    async def _read_agents(
        self, numbers: Sequence[int], views: Callable[[], Views], reported: Reported
    ) -> None:
        async with HostileFarm(numbers, views) as farm:
            names = {f"hostile-{number}": port for number, port in farm.ports.items()}
            await asyncio.to_thread(self._add, names)
            try:
                until = time.monotonic() + 90
                tried: dict[str, str | None] = {}
                while len(tried) < len(names) and time.monotonic() < until and self._alive():
                    await asyncio.sleep(1)
                    tried |= await asyncio.to_thread(self._tried, names)
            finally:
                await asyncio.to_thread(self._remove, names)
        reported.attacks += len(names)
        reported.reported += len(tried)
        reported.silent += len(names) - len(tried)

    def _add(self, names: dict[str, int]) -> None:
        with self._service.client() as client:
            for name, port in names.items():
                access = Credential(community=COMMUNITY)
                client.send(add_switch(NewSwitch(name=name, host="127.0.0.1", port=port, access=access)))

    def _tried(self, names: dict[str, int]) -> dict[str, str | None]:
        """Those that were read, or of which the service says why not."""
        with self._service.client() as client:
            return {
                one.name: one.error
                for one in client.each(switches())
                if one.name in names and (one.health == "read" or (one.health != "unread" and one.error))
            }

    def _remove(self, names: dict[str, int]) -> None:
        with self._service.client() as client:
            for name in names:
                client.send(remove_switch(name))

    # --- files, requests, notifications ----------------------------------------------------

    def _files(self, count: int) -> Reported:
        files = HostileFiles(self._folder, self._rng)
        files.put(count)
        until = time.monotonic() + 120
        while files.waiting() and time.monotonic() < until and self._alive():
            time.sleep(0.5)
        return files.result()

    def _requests(self, count: int) -> Reported:
        requests = HostileRequests(self._service.url, self._service.token, self._rng)
        requests.send(count)
        self._result.faults += requests.faults
        return requests.result

    def _flood(self, seconds: int) -> Reported:
        before = self._service.log.count("\n")
        trap = wrap(V2C, b"tarn-read", notification_pdu(PduType.TRAP, 1, 100, "linkDown", [7]))
        sent = flood(self._traps, seconds, self._rng, trap)
        lines = self._service.log.count("\n") - before
        self._say(f"{sent} notifications wrote {lines} lines")
        return Reported(sent, sent if lines < 500 else 0, 0 if lines < 500 else sent)

    # --- trouble and kills ------------------------------------------------------------------

    def _troubles(self, count: int) -> Reported:
        """The database says nothing for a while, or loses every connection."""
        reported = Reported()
        for number in range(count):
            reported.attacks += 1
            if number % 2:
                self._proxy.cut()
                reported.reported += self._reported_well()
                continue
            self._proxy.hold_back()
            try:
                wait_until(self._reported_down, "health to report", seconds=30)
                reported.reported += 1
                time.sleep(self._rng.uniform(0, 3))
            finally:
                self._proxy.pass_on()
            wait_until(self._well, "the database to be back", seconds=120)
            self._back()
        reported.silent = reported.attacks - reported.reported
        return reported

    def _kills(self, count: int) -> Reported:
        reported = Reported()
        for number in range(count):
            time.sleep(self._rng.uniform(0, 2.0))
            reported.attacks += 1
            self._company.away()
            if number % 2:
                os.kill(int((self._directory / "database" / "server.pid").read_text()), signal.SIGKILL)
                wait_until(lambda: not self._database.running(), "the database to be gone")
                self._proxy.point_to(self._database.start())
            else:
                self._service.end(signal.SIGKILL)
                self._service.start()
            wait_until(self._well, "the service to be well", seconds=120)
            reported.reported += 1
            self._back()
        return reported

    # --- the service -----------------------------------------------------------------------

    def _alive(self) -> bool:
        process = self._service.process
        return process is not None and process.poll() is None

    def _back(self) -> None:
        pid = self._pid()
        assert pid is not None
        self._company.back(pid)

    def _pid(self) -> int | None:
        return None if self._service.process is None else self._service.process.pid

    def _reported_down(self) -> bool:
        with self._service.client() as client:
            return client.send(health()).database == "down"

    def _reported_well(self) -> bool:
        wait_until(self._well, "the service to be well", seconds=60)
        return True

    def _well(self) -> bool:
        try:
            with self._service.client() as client:
                now = client.send(health())
        except KiteRollError:
            return False
        return now.database == "up" and all(one.running for one in now.workers)


def table(plan: Plan, result: Result) -> str:
    lines = [f"seed {plan.seed}, {timedelta(seconds=round(result.took_s))}"]
    lines.append(f"{'attacks of':22}{'number':>10}{'reported':>10}{'silent':>8}")
    for name, reported in result.reported.items():
        lines.append(f"{name:22}{reported.attacks:>10}{reported.reported:>10}{reported.silent:>8}")
    lines += [
        f"deaths                         {result.deaths}",
        f"readings acknowledged          {result.acknowledged} ({result.refused} were refused meanwhile)",
        f"acknowledged and not found     {result.lost}",
        f"worst answer of /health/live   {result.live.seconds:.2f} s, during {result.live.during}",
        f"the good switch, latest        {result.late.seconds:.1f} s after its last reading, read every "
        f"{INTERVAL_S} s, during {result.late.during}",
        f"memory at most, at the end     {result.memory_mb} MB, {result.memory_at_end_mb} MB",
        f"answers that were faults       {len(result.faults)}",
        f"log                            {result.log_lines} lines, {result.tracebacks} tracebacks",
        "passed" if result.passed else "FAILED",
    ]
    return "\n".join((*lines, *result.faults[:20]))
