"""Collectors at sites: which there are, what they are to read, and what they say."""

import logging
import secrets
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime

from kiteroll.app.logs import fields
from kiteroll.app.site_intake import SiteIntake, SiteState
from kiteroll.bus import names
from kiteroll.bus.messages import Heard, Status
from kiteroll.bus.sealing import check_public_key, seal
from kiteroll.clock import Clock
from kiteroll.core.errors import Conflict, Invalid
from kiteroll.core.model.collector import (
    BEHIND_AFTER,
    LOST_AFTER,
    Collector,
    CollectorStatus,
    SiteCondition,
    silent_since,
)
from kiteroll.core.model.nearest import no_such
from kiteroll.store import collectors
from kiteroll.store.database import Database

log = logging.getLogger(__name__)
_STRANGERS_LOGGED = 1000

MakeTargets = Callable[[str, str, datetime], bytes]
"""What the collectors of a site are to read, in clear: of a site, its version, and the instant."""


class Collectors:
    """Kept in memory; changed in the event loop or, by calls, under the database's own order."""

    def __init__(
        self,
        database: Database,
        clock: Clock,
        make_targets: MakeTargets,
        intake: SiteIntake,
        *,
        has_bus: bool,
    ) -> None:
        """`has_bus`: whether a message engine is set up."""
        self._database = database
        self._intake = intake
        self._clock = clock
        self._make_targets = make_targets
        self._has_bus = has_bus
        self._collectors: dict[str, Collector] = {}
        self._versions: dict[str, str] = {}
        """Of what is to be read at each site."""
        self._strangers: set[str] = set()
        self._run = secrets.token_hex(4)
        self._count = 0
        self._started_at = clock.now()
        self._on_change: list[Callable[[str], None]] = []

    def load(self) -> None:
        """Raises StorageUnavailable."""
        found = self._database.run(collectors.all_collectors)
        self._collectors = {one.name: one for one in found}
        before = self._versions
        self._versions = {
            site: before.get(site) or self._next_version() for site in {one.site for one in found}
        }
        self._intake.load(self._versions)

    def on_change(self, notify: Callable[[str], None]) -> None:
        """Calls `notify` with a site whose collectors, or what they are to read, are other ones."""
        self._on_change.append(notify)

    @property
    def sites(self) -> frozenset[str]:
        """That collectors read: nothing of them is read from here."""
        return frozenset(self._versions)

    def reads(self, site: str) -> bool:
        return site in self._versions

    def all(self) -> list[Collector]:
        """By site and name."""
        return sorted(self._collectors.values(), key=lambda one: (one.site, one.name))

    def get(self, name: str) -> Collector:
        """Raises NotFound."""
        if name not in self._collectors:
            raise no_such("collector", name, self._collectors)
        return self._collectors[name]

    def add(self, name: str, site: str, public_key: str) -> Collector:
        """From now on the switches of the site are read there. Raises Conflict when the name is taken or no
        message engine is set up, Invalid for a key that is none."""
        if not self._has_bus:
            raise Conflict("collectors take a message engine: set bus.url first (docs/collectors.md)")
        other = next((one for one in self._versions if names.site_token(one) == names.site_token(site)), site)
        if other != site:
            raise Conflict(f"the site {other} is called the same on the bus: rename one of the two")
        one = Collector(
            name=name, site=site, public_key=check_public_key(public_key), added_at=self._clock.now()
        )
        self._database.run(collectors.add_collector, one)
        self._reload(site)
        return one

    def remove(self, name: str) -> None:
        """With the last one of a site, its switches are read from here again. Raises NotFound."""
        site = self.get(name).site
        self._database.run(collectors.remove_collector, name)
        self._reload(site)

    def changed(self, site: str) -> None:
        """What is to be read at the site is something else."""
        if site in self._versions:
            self._versions[site] = self._next_version()
            self._notify_listeners(site)

    def _reload(self, site: str) -> None:
        self.load()
        if site in self._versions:
            self._versions[site] = self._next_version()
        self._notify_listeners(site)

    def _notify_listeners(self, site: str) -> None:
        for notify in self._on_change:
            notify(site)

    def _next_version(self) -> str:
        self._count += 1
        return f"{self._run}-{self._count}"

    # What comes over the bus.

    def heard(self, token: str, status: Status) -> Heard:
        """A collector reported its state. Raises StorageUnavailable."""
        now = self._clock.now()
        one = self._of_site(token, status.collector)
        if one is None:
            why = f"no collector {status.collector} of this site is known here: `kiteroll collector add`"
            if status.collector not in self._strangers and len(self._strangers) < _STRANGERS_LOGGED:
                self._strangers.add(status.collector)
                extra = fields("collector.unknown", collector=status.collector, site=token)
                log.warning("unknown collector", extra=extra)
            return Heard(now=now, targets="", refused=why)
        reported = CollectorStatus(
            heard_at=now,
            version=status.version,
            started_at=status.started_at,
            reads=status.reads,
            switches=status.switches,
            clock_ahead_s=status.clock_ahead_s,
            waiting=status.waiting,
            problem=status.problem,
        )
        self._collectors[one.name] = replace(one, status=reported)
        self._database.run(collectors.note_status, one.name, reported)
        return Heard(now=now, targets=self._versions[one.site], takes_packed=True)

    def targets_for(self, token: str, name: str) -> bytes:
        """What a collector is to read, sealed for it. Raises Invalid for one that is not of this site,
        StorageUnavailable."""
        one = self._of_site(token, name)
        if one is None:
            raise Invalid(f"no collector {name} of this site is known here")
        plain = self._make_targets(one.site, self._versions[one.site], self._clock.now())
        return seal(one.public_key, one.name, plain)

    def _of_site(self, token: str, name: str) -> Collector | None:
        """None for one that is not of the site a message came from."""
        one = self._collectors.get(name)
        return one if one is not None and names.site_token(one.site) == token else None

    def is_heard(self, site: str) -> bool:
        """Whether any of its collectors is, or had no time to be yet."""
        now = self._clock.now()
        return self._is_starting(now) or any(one.is_heard(now) for one in self._of(site))

    def _is_starting(self, now: datetime) -> bool:
        """Nobody had time to be heard yet; nothing is known to be up to date either."""
        return now - self._started_at <= LOST_AFTER

    def _of(self, site: str) -> list[Collector]:
        return [one for one in self._collectors.values() if one.site == site]

    def conditions(self) -> tuple[SiteCondition, ...]:
        """By site."""
        now = self._clock.now()
        return tuple(self._condition(site, self._intake.state(site), now) for site in sorted(self._versions))

    def _condition(self, site: str, state: SiteState, now: datetime) -> SiteCondition:
        of_site = self._of(site)
        noted_at = state.noted_at or self._started_at
        progress = state.progress
        return SiteCondition(
            site=site,
            waiting=state.waiting,
            as_of=state.noted_at,
            silent_since=None if self._is_starting(now) else silent_since(of_site, now),
            behind_since=noted_at if state.noted_at is None or now - noted_at > BEHIND_AFTER else None,
            error=next((one.status.problem for one in of_site if one.status and one.status.problem), ""),
            dropped=progress.dropped,
            dropped_at=progress.dropped_at,
            refused=progress.refused,
            refused_at=progress.refused_at,
            refusal=progress.refusal,
        )
