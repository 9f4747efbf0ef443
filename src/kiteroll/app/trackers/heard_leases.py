"""Which areas have a tracker that is there: heard by their leases, which a tracker goes on renewing."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.clock import Clock
from kiteroll.core.findings.service_condition import Trouble
from kiteroll.store.area_lease import AreaLeaseRow
from kiteroll.store.database_lease import LEASE_S

_LATELY = timedelta(minutes=5)
_GIVEN_BACK_S = 5.0
"""An area that its tracker gave back is left to another one for so long."""
_LOST_S = 20.0
"""The same where the tracker was not heard any more: another one takes over within a lease and a load."""


@dataclass(slots=True)
class _Heard:
    """One area's lease, as it was seen."""

    lease: AreaLeaseRow
    at: float
    """When it was last seen to be renewed, or seen for the first time."""
    since: datetime
    """The same, as a time of day."""
    renewed: bool = False
    """Whether it was seen to be renewed: one that is in the records may have ended long ago."""
    free_since: float | None = None


class HeardLeases:
    """By the service's own clock alone: a lease counts from when it was seen to be renewed."""

    def __init__(self, clock: Clock) -> None:
        self._clock = clock
        self._heard: dict[str, _Heard] = {}

    def hear(self, leases: Collection[AreaLeaseRow]) -> None:
        now = self._clock.monotonic()
        for one in leases:
            before = self._heard.get(one.area)
            if before is None or before.lease.renewals != one.renewals:
                heard = _Heard(one, now, self._clock.now(), renewed=before is not None)
                before = self._heard[one.area] = heard
            free_since = (before.free_since or now) if not one.holder else None
            before.lease, before.free_since = one, free_since

    def stood_still(self, seconds: float) -> None:
        """The database did not answer for so long: what nobody could renew has not run out meanwhile."""
        for one in self._heard.values():
            one.at += seconds

    def database_away(self) -> None:
        """Nobody can renew a lease now, nor see that it is: all count from here."""
        for one in self._heard.values():
            one.at = self._clock.monotonic()

    def is_there(self, area: str) -> bool:
        """Whether the area has a tracker."""
        heard = self._heard.get(area)
        if heard is None or not heard.renewed or not heard.lease.holder:
            return False
        return self._clock.monotonic() - heard.at <= LEASE_S

    def is_left_to_trackers(self, area: str) -> bool:
        """Whether switches that a tracker of the area had wait for the next one; there may be none now."""
        heard = self._heard.get(area)
        if heard is None:
            return False
        now = self._clock.monotonic()
        if heard.free_since is not None:
            return now - heard.free_since <= _GIVEN_BACK_S
        return now - heard.at <= _LOST_S

    def state(self) -> dict[str, tuple[bool, bool]]:
        """Of each area: whether it has a tracker, and whether it is left to trackers."""
        return {area: (self.is_there(area), self.is_left_to_trackers(area)) for area in self._heard}

    def troubles(self) -> list[Trouble]:
        """Trackers that were not heard any more lately, and whose area no other one has taken."""
        now = self._clock.now()
        return [
            Trouble(f"tracker of {area}", one.since, "it is not heard any more")
            for area, one in list(self._heard.items())
            if one.renewed and one.lease.holder and not self.is_there(area) and now - one.since < _LATELY
        ]
