"""Kills parts of a cluster with -9 and cuts its lines at random, mends them, and counts what was recorded."""

import random
import signal
import threading
import time
from collections import Counter
from collections.abc import Callable
from functools import partial
from typing import NamedTuple

from kiteroll.client import (
    ServiceError,
    ServiceUnreachable,
    areas,
    collected_sites,
    collectors,
    findings,
    ports,
    switch,
)
from kiteroll.schemas.api import FindingState
from tests.support.cluster import TrackerProcess
from tests.support.demo_cluster import DemoCluster
from tests.support.harness import Service, wait_until
from tests.support.incidents import problems

_PAUSE_S = (2.0, 10.0)
"""Between two attacks."""
_DOWN_S = (1.0, 20.0)
"""How long a part that was killed stays away."""
_Blow = tuple[Callable[[], object], Callable[[], object]]
"""What takes a part away, and what brings it back."""


class _Struck(NamedTuple):
    at: float
    """Monotonic seconds."""
    stood_by: bool
    """Whether another one did."""
    begun: int
    """How often trackers had begun by then."""


class Chaos:
    def __init__(self, cluster: DemoCluster, seed: int, longest_cut_s: float) -> None:
        self._cluster = cluster
        self._random = random.Random(seed)
        self._longest_cut_s = longest_cut_s
        self._busy: set[str] = set()
        self._mending: list[threading.Thread] = []
        self._done: Counter[str] = Counter()
        self._problems: list[str] = []
        self._away: list[float] = []
        """For how long no service tracked, in seconds, each time."""
        self._struck: _Struck | None = None
        """The tracker that had the area and was killed, until it is tracked again."""
        self._taken_over: dict[bool, list[float]] = {True: [], False: []}
        """After how long another one had the area, in seconds, by whether it stood by."""
        self._asked = 0
        self._longest_s = 0.0
        """Until a node answered."""
        self._ended = threading.Event()

    def run(self, seconds: float) -> int:
        """0 when every reading that a site acknowledged is recorded, once, and nothing was invented."""
        self._await_readers()
        watching = [threading.Thread(target=one) for one in (self._watch, self._watch_trackers, self._ask)]
        for one in watching:
            one.start()
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            self._attack()
            time.sleep(self._random.uniform(*_PAUSE_S))
        for thread in self._mending:
            thread.join()
        try:
            return self._count()
        finally:
            self._ended.set()
            for one in watching:
                one.join()

    def _ask(self) -> None:
        """As somebody who uses it: one of the two nodes answers, whatever happens."""
        names = sorted(self._cluster.lab.switches)
        with self._cluster.client() as client:
            while not self._ended.wait(0.3):
                began, name = time.monotonic(), names[self._asked % len(names)]
                self._asked += 1
                try:
                    assert client.send(switch(name)).name == name
                    client.all(ports(name))
                except (ServiceError, ServiceUnreachable) as refused:
                    self._problems.append(f"{time.strftime('%H:%M:%S')} a client got no answer: {refused}")
                self._longest_s = max(self._longest_s, time.monotonic() - began)

    def _watch(self) -> None:
        """Whether one tracks, on machines where a service that ended by itself is started again."""
        since: float | None = None
        while not self._ended.wait(0.2):
            self._start_what_ended()
            try:
                self._ask_for_areas()
                if since is not None:
                    self._away.append(time.monotonic() - since)
                since = None
            except (ServiceError, ServiceUnreachable):
                since = since or time.monotonic()

    def _ask_for_areas(self) -> None:
        """Raises ServiceUnreachable or ServiceError."""
        with self._cluster.service.client() as client:
            client.all(areas())

    def _watch_trackers(self) -> None:
        """By what they log: the service that would say it may be away as well."""
        while not self._ended.wait(0.2):
            struck = self._struck
            if struck is not None and self._times_begun() > struck.begun:
                self._struck = None
                self._taken_over[struck.stood_by].append(time.monotonic() - struck.at)

    def _times_begun(self) -> int:
        return sum(one.times_begun for one in self._cluster.trackers)

    def _strike_tracker(self, one: TrackerProcess) -> None:
        tracked, begun = one.tracks, self._times_begun()
        stood_by = any(other.stands_by for other in self._cluster.trackers)
        one.end(signal.SIGKILL)
        if tracked:
            self._struck = _Struck(time.monotonic(), stood_by, begun)

    def _start_what_ended(self) -> None:
        for name, service in self._services():
            if not service.is_running and name not in self._busy:
                self._done[f"{name} started again"] += 1
                service.start(wait=False)

    def _services(self) -> list[tuple[str, Service]]:
        kinds = (("service", self._cluster.services), ("node", self._cluster.nodes))
        return [(f"{kind} {at}", one) for kind, both in kinds for at, one in enumerate(both, start=1)]

    def _attack(self) -> None:
        cluster = self._cluster
        parts: dict[str, tuple[Callable[[], object], Callable[[], object], float]] = {}
        for site, line in cluster.lines.items():
            parts[f"line {site}"] = (line.cut, line.mend, self._random.uniform(5, self._longest_cut_s))
            engine = cluster.engines[site]
            parts[f"engine {site}"] = (engine.kill, engine.start, self._random.uniform(*_DOWN_S))
        for one in cluster.collectors:
            parts[f"collector {one.name}"] = (
                partial(one.end, signal.SIGKILL),
                one.start,
                self._random.uniform(*_DOWN_S),
            )
        for number, tracker in enumerate(cluster.trackers, start=1):
            strike_it = partial(self._strike_tracker, tracker)
            parts[f"tracker {number}"] = (strike_it, tracker.start, self._random.uniform(*_DOWN_S))
        for name, service in self._services():
            if name.startswith("node") and any(one.startswith("node") for one in self._busy):
                continue  # the other one answers
            parts[name] = (
                partial(service.end, signal.SIGKILL),
                partial(self._start, service),
                self._random.uniform(*_DOWN_S),
            )
        database = cluster.database
        engines: list[_Blow] = [(one.kill, one.start) for one in cluster.centre]
        nodes: list[_Blow] = [(one.kill, partial(database.bring_back, one)) for one in database.nodes]
        for kind, three in (("engine of the centre", engines), ("database", nodes)):
            if any(name.startswith(kind) for name in self._busy):
                continue  # two of three go on: one at a time
            for number, (kill, bring_back) in enumerate(three, start=1):
                parts[f"{kind} {number}"] = (kill, bring_back, self._random.uniform(*_DOWN_S))
        name = self._random.choice(sorted(parts.keys() - self._busy) or ["none"])
        if name == "none":
            return
        strike, mend, away_s = parts[name]
        self._busy.add(name)
        self._done[name] += 1
        print(f"{time.strftime('%H:%M:%S')} {name}: away for {away_s:.0f} s", flush=True)
        strike()

        def later() -> None:
            time.sleep(away_s)
            try:
                mend()
            except Exception as wrong:
                self._problems.append(f"{name} did not come back: {wrong}")
            self._busy.discard(name)

        self._mending.append(threading.Thread(target=later))
        self._mending[-1].start()

    @staticmethod
    def _start(service: Service) -> None:
        """A node counts as away until it answers: a load balancer asks it only from then on."""
        service.start(wait=service.command == "serve")

    def _await_readers(self) -> None:
        def read() -> bool:
            try:
                return all_read()
            except (ServiceError, ServiceUnreachable):
                return False

        def all_read() -> bool:
            with self._cluster.service.client() as client:
                states = [one.state for one in client.each(collectors())]
                return states.count("reading") == len(self._cluster.lines)

        wait_until(read, "every site to be read", seconds=120)

    def _count(self) -> int:
        """Stop reading, wait for what is on its way, and hold the two sides against each other."""
        cluster = self._cluster
        self._await_readers()
        for one in cluster.collectors:
            one.end()
        age_s = cluster.story_age_s
        for site in cluster.lines:
            kept = [(one.name, one.started_at) for one in cluster.kept_at(site)]
            missing: set[object] = set(kept)

            def all_there(kept: list[object] = kept, site: str = site) -> bool:  # type: ignore[assignment]
                nonlocal missing
                try:
                    missing = set(kept) - set(cluster.recorded(site))
                except (ServiceError, ServiceUnreachable):
                    return False
                return not missing

            try:
                wait_until(all_there, "readings to arrive", seconds=120)
            except AssertionError:
                self._problems.append(f"{len(missing)} readings of {site} are not recorded")
            recorded = cluster.recorded(site)
            if len(recorded) != len(set(recorded)):
                self._problems.append(
                    f"{len(recorded) - len(set(recorded))} readings of {site} are there twice"
                )
            if strangers := set(recorded) - set(kept):
                self._problems.append(f"{len(strangers)} readings of {site} were never acknowledged there")
            print(f"{site}: {len(set(kept))} readings acknowledged at the site, {len(recorded)} recorded")
        self._report(age_s)
        return 1 if self._problems else 0

    def _report(self, age_s: float) -> None:
        with self._cluster.service.client() as client:
            for site in client.each(collected_sites()):
                if site.dropped or site.refused:
                    self._problems.append(f"{site.site}: {site.dropped} dropped, {site.refused} refused")
            states: list[FindingState] = ["open", "acknowledged", "cleared"]
            everything = list(client.each(findings(states=states, parts=True, limit=500)))
        self._problems += problems(everything, age_s)
        reported = Counter(one.kind for one in everything)
        for one in everything:
            if one.kind in ("switch-not-read", "switches-not-read", "site-not-read"):
                print(f"{one.opened_at:%H:%M:%S} {one.title}: {one.cause}")
        print("attacks:", ", ".join(f"{name} {count}" for name, count in sorted(self._done.items())))
        print(f"no service tracked for {_listed(self._away)} s")
        print(f"the area was taken over by a tracker that stood by after {_listed(self._taken_over[True])} s")
        print(f"by one that was away as well, or just starting, after {_listed(self._taken_over[False])} s")
        print(f"a client of the nodes asked {self._asked} times, and waited {self._longest_s:.1f} s at most")
        print("findings reported:", ", ".join(f"{kind} {count}" for kind, count in sorted(reported.items())))
        print("\n".join(self._problems) or "nothing lost, nothing twice, nothing invented")


def _listed(seconds: list[float]) -> str:
    return ", ".join(f"{one:.1f}" for one in sorted(seconds, reverse=True)) or "no"
