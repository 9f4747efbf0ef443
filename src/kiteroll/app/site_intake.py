"""How far the readings of sites have come: what is stored, was dropped on the way, was refused, waits."""

import logging
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta

from kiteroll.app.logs import fields
from kiteroll.clock import Clock
from kiteroll.store import collectors
from kiteroll.store.collectors import SiteProgress
from kiteroll.store.database import Database
from kiteroll.store.tracked_switches import site_left_at

log = logging.getLogger(__name__)
_REFUSED_LOGGED = timedelta(minutes=1)
_UNHEARD = timedelta(days=30)
"""So long may the collectors of a site go on without the centre, and read what is not theirs any more."""


@dataclass(frozen=True, slots=True)
class SiteState:
    progress: SiteProgress = field(default_factory=SiteProgress)
    noted_at: datetime | None = None
    """Everything the site read until then has come."""
    waiting: int = 0


class SiteIntake:
    """Kept in memory, its progress in the records."""

    def __init__(self, database: Database, clock: Clock) -> None:
        self._database = database
        self._clock = clock
        self._sites: dict[str, SiteState] = {}
        self._logged_at: dict[str, datetime] = {}
        """When it was last logged that something was refused."""
        self._on_note: list[Callable[[str, SiteState], None]] = []

    def load(self, sites: Iterable[str], *, anew: Iterable[str] = ()) -> None:
        """These there are from now on; what is known of them stays, but is read again of `anew`. Raises
        StorageUnavailable."""
        progress, again = self._database.run(collectors.progress), frozenset(anew)
        before = self._sites
        self._sites = {
            site: before[site]
            if site in before and site not in again
            else SiteState(progress.get(site, SiteProgress()), before.get(site, SiteState()).noted_at)
            for site in sites
        }

    def sites(self) -> frozenset[str]:
        return frozenset(self._sites)

    def on_note(self, notify: Callable[[str, SiteState], None]) -> None:
        """Calls `notify` with each change, in the thread that notes it."""
        self._on_note.append(notify)

    def state(self, site: str) -> SiteState:
        return self._sites.get(site) or SiteState()

    def follow(self, site: str, state: SiteState) -> None:
        """Another tracker takes its readings, and keeps the records."""
        if site in self._sites:
            self._sites[site] = state

    def position(self, site: str) -> int | None:
        """Of the last message that was stored, in the stream of the centre; None: there was none."""
        return self.state(site).progress.position

    def note_taken(
        self, site: str, numbers: Sequence[int | None], position: int, noted_at: datetime | None
    ) -> None:
        """Messages of a site were stored, the last of them at this position; those between the last before
        and these were dropped there. Raises StorageUnavailable."""
        if site not in self._sites:
            return
        state = self._sites[site]
        dropped, last = 0, state.progress.number
        for number in numbers:
            if number is None:
                continue
            if last is not None and number > last + 1:
                dropped += number - last - 1
            # A number that begins again is of a stream that was made anew.
            last = number if last is None or number > last or number == 1 else last
        noted_at = max(filter(None, (state.noted_at, noted_at)), default=None)
        progress = replace(state.progress, number=last, position=position)
        if dropped:
            now = self._clock.now()
            progress = replace(progress, dropped=progress.dropped + dropped, dropped_at=now)
            extra = fields("collector.dropped", site=site, count=dropped)
            log.error("readings were dropped at a site before they could be sent", extra=extra)
        self._database.run(collectors.note_progress, site, progress)
        self._note(site, replace(state, progress=progress, noted_at=noted_at))

    def note_refused(self, site: str, why: str) -> None:
        """A message of a site was not taken. Raises StorageUnavailable."""
        if site not in self._sites:
            return
        state, now = self._sites[site], self._clock.now()
        if site not in self._logged_at or now - self._logged_at[site] > _REFUSED_LOGGED:
            log.warning("a reading was refused", extra=fields("collector.refused", site=site, error=why))
            self._logged_at[site] = now
        progress = replace(
            state.progress, refused=state.progress.refused + 1, refused_at=now, refusal=why[:1000]
        )
        self._database.run(collectors.note_progress, site, progress)
        self._note(site, replace(state, progress=progress))

    def left_at(self, site: str, switch: int) -> datetime | None:
        """Until when a site read a switch, by id, that it reads no more; None: it never did, or that is so
        long ago that it must have heard. Raises StorageUnavailable."""
        left = self._database.run(site_left_at, switch, site)
        return left if left is not None and self._clock.now() - left < _UNHEARD else None

    def note_waiting(self, site: str, waiting: int) -> None:
        if site in self._sites:
            self._note(site, replace(self._sites[site], waiting=waiting))

    def _note(self, site: str, state: SiteState) -> None:
        self._sites[site] = state
        for notify in self._on_note:
            notify(site, state)
