"""Planned work: while it lasts, findings there are recorded, and no alerts are sent."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

from kiteroll.core.alerts.route import Where
from kiteroll.core.findings.finding import Finding


@dataclass(frozen=True, slots=True, kw_only=True)
class PlannedWork:
    """All of what is given must fit; nothing given is everywhere."""

    begins_at: datetime
    ends_at: datetime
    site: str = ""
    switch: str = ""
    kind: str = ""

    def covers(self, finding: Finding, places: tuple[Where, ...], now: datetime) -> bool:
        """Every switch of a finding must be where the work is: half of it elsewhere is sent."""
        if not self.begins_at <= now < self.ends_at or (self.kind and finding.kind.value != self.kind):
            return False
        if self.site and not (places and all(one.site == self.site for one in places)):
            return False
        return not self.switch or (bool(places) and all(one.switch == self.switch for one in places))


def is_covered(
    works: Iterable[PlannedWork], finding: Finding, places: tuple[Where, ...], now: datetime
) -> bool:
    return any(one.covers(finding, places, now) for one in works)
