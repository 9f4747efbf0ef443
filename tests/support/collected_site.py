"""A site that collectors read, with everything it takes: engines, a line, a service, two collectors."""

import signal
from collections.abc import Mapping
from datetime import datetime
from pathlib import Path

from kiteroll.bus.messages import Read
from kiteroll.client import add_collector, add_switch, collectors, findings, readings
from kiteroll.schemas.api import NewCollector
from tests.support.cluster import CollectorProcess, Line, NatsServer, bus_of_centre, kept_at
from tests.support.harness import Lab, Service
from tests.support.ports import free_tcp_port

SITE, OTHER = "Quays", "Offices"
NAMES = ("quay-1", "quay-2", "quay-3")


class CollectedSite:
    """A centre, a thin line, and a site with two collectors."""

    def __init__(self, directory: Path, environment: Mapping[str, str] | None = None) -> None:
        """`environment`: of the service, beside what says where its message engine is."""
        self.centre, self.site = NatsServer(directory, "centre"), NatsServer(directory, "site")
        self.line = Line(self.centre.leaf_port)
        self.centre.be_centre([SITE, OTHER])
        self.site.be_site(SITE, self.line.port)
        for engine in (self.centre, self.site):
            engine.start()
        given = {**bus_of_centre(self.centre), **(environment or {})}
        self.service = Service(directory / "service", free_tcp_port(), environment=given)
        self.service.start()
        self.collectors = [
            CollectorProcess(directory / f"collector-{one}", f"quays-{one}", SITE, self.site.url)
            for one in (1, 2)
        ]

    def set_up(self, lab: Lab) -> None:
        """The collectors and the switches of the site."""
        with self.service.client() as client:
            for one in self.collectors:
                client.send(add_collector(NewCollector(name=one.name, site=SITE, public_key=one.key)))
            for name in NAMES:
                client.send(add_switch(lab.new_switch(name, site=SITE, interval_s=5)))

    def state(self, name: str) -> str:
        with self.service.client() as client:
            return next(one.state for one in client.each(collectors()) if one.name == name)

    def at_site(self) -> list[Read]:
        """Every reading that the message engine of the site took."""
        return kept_at(self.site, SITE)

    def in_records(self) -> list[tuple[str, datetime]]:
        with self.service.client() as client:
            rows = [one for name in NAMES for one in client.each(readings(switch=name))]
        return [(one.switch, one.taken_at) for one in rows]

    def finding_kinds(self) -> set[str]:
        with self.service.client() as client:
            return {one.kind for one in client.each(findings())}

    def end(self) -> None:
        for one in self.collectors:
            if one.process is not None and one.process.poll() is None:
                one.end(signal.SIGKILL)
        self.service.end()
        self.line.close()
        for engine in (self.site, self.centre):
            engine.kill()
