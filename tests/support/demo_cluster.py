"""Tarn Ferries with sites that collectors read, two trackers of the area they are in, two services, of which
one stands by, and two that only answer, on a cluster of databases: each a process of its own on loopback."""

import signal
import time
from datetime import datetime
from pathlib import Path

from kiteroll.bus.messages import Read
from kiteroll.client import (
    Client,
    ServiceError,
    ServiceUnreachable,
    add_collector,
    add_switch,
    change_site,
    health,
    readings,
)
from kiteroll.schemas.api import NewCollector, SiteChange
from tests.support.cluster import (
    CollectorProcess,
    Line,
    NatsServer,
    TrackerProcess,
    bus_of_centre,
    kept_at,
)
from tests.support.galera import Galera
from tests.support.harness import Lab, Service
from tests.support.ports import free_tcp_port, free_udp_port

SITES = ("Quays", "Yard")
AREA = "tarn"
_INTERVAL_S = 10


class DemoCluster:
    def __init__(self, directory: Path, port: int | None = None, sites: tuple[str, ...] = SITES) -> None:
        self.lab = Lab(free_udp_port(), story=True)
        self.centre = [NatsServer(directory, f"nats-centre-{number}") for number in (1, 2, 3)]
        for one in self.centre:
            one.be_centre(list(sites), [other for other in self.centre if other is not one])
        self.lines = {site: Line(*(one.leaf_port for one in self.centre)) for site in sites}
        self.engines = {site: NatsServer(directory, f"nats-{site}") for site in sites}
        for site, engine in self.engines.items():
            engine.be_site(site, self.lines[site].port)
        self.collectors = [
            CollectorProcess(
                directory / f"collector-{site}-{one}",
                f"{site.lower()}-{one}",
                site,
                self.engines[site].url,
                clock_ahead_s=ahead_s,
            )
            for site in sites
            for one, ahead_s in ((1, 15.0), (2, -15.0))
        ]
        self.database = Galera()
        environment = bus_of_centre(*self.centre)
        environment |= {"KITEROLL_DATABASE_URL": self.database.url, "KITEROLL_DATABASE_STANDBY": "true"}

        def made(name: str, port: int | None = None, command: str = "up") -> Service:
            return Service(
                directory / name, port or free_tcp_port(), environment=environment, command=command, anew=True
            )

        self.trackers = [
            TrackerProcess(directory, f"tracker-{number}", AREA, environment) for number in (1, 2)
        ]
        self.services = [made("service-1"), made("service-2")]
        self.nodes = [made("node-1", port, "serve"), made("node-2", command="serve")]

    def start(self) -> None:
        """Everything, from nothing."""
        for engine in (*self.centre, *self.engines.values()):
            engine.start()
        self.database.start()
        self.lab.start()
        self._story_began = time.monotonic()
        first = self.services[0]
        first.start()
        for other in (*self.services[1:], *self.nodes):
            first.share_keys(other.data)
            other.start(wait=False)
        with first.client() as client:
            for one in self.collectors:
                client.send(add_collector(NewCollector(name=one.name, site=one.site, public_key=one.key)))
            for name, site in self.lab.sites.items():
                client.send(add_switch(self.lab.new_switch(name, site=site, interval_s=_INTERVAL_S)))
            for site in set(self.lab.sites.values()):
                client.send(change_site(site, SiteChange(area=AREA)))  # they share layer 2
        for collector in self.collectors:
            collector.start()
        for tracker in self.trackers:
            tracker.start()

    def client(self) -> Client:
        """As a person uses it: of the services that only answer, whichever does."""
        return Client(",".join(one.url for one in self.nodes), self.services[0].token)

    @property
    def story_age_s(self) -> float:
        return time.monotonic() - self._story_began

    @property
    def service(self) -> Service:
        """The one that tracks. Raises ServiceUnreachable while none does."""
        for one in self.services:
            try:
                with one.client() as client:
                    client.send(health())
                return one
            except (ServiceUnreachable, ServiceError, FileNotFoundError):
                continue
        raise ServiceUnreachable(self.services[0].url, "neither of the two services answers")

    def kept_at(self, site: str) -> list[Read]:
        """Every reading that the message engine of a site acknowledged to a collector."""
        return kept_at(self.engines[site], site)

    def recorded(self, site: str) -> list[tuple[str, datetime]]:
        """Switch and instant of every try at reading a switch of the site that is in the records."""
        of_site = [name for name, at in self.lab.sites.items() if at == site]
        with self.service.client() as client:
            rows = [one for name in of_site for one in client.each(readings(switch=name, limit=1000))]
        return [(one.switch, one.taken_at) for one in rows]

    def end(self) -> None:
        for one in self.collectors:
            if one.process is not None and one.process.poll() is None:
                one.end()
        for tracker in self.trackers:
            if tracker.is_running:
                tracker.end()
        for service in (*self.nodes, *self.services):
            if service.is_running:
                service.end(signal.SIGTERM)
        self.database.end()
        self.lab.stop()
        for line in self.lines.values():
            line.close()
        for engine in (*self.engines.values(), *self.centre):
            if engine.process is not None and engine.process.poll() is None:
                engine.kill()
