"""Routes: which findings are sent where."""

from dataclasses import dataclass
from datetime import UTC, datetime, time, timedelta, tzinfo
from enum import StrEnum

from kiteroll.core.findings.finding import Finding, Severity

_ORDER = (Severity.NOTE, Severity.WARNING, Severity.SERIOUS)


class AlertReason(StrEnum):
    """Why a message is sent."""

    OPENED = "opened"
    REMINDER = "reminder"
    """It is open still, and nobody acknowledged it."""
    ESCALATED = "escalated"
    """The same, sent to somebody else now."""
    OVER = "over"
    TEST = "test"
    AUDIT = "audit"
    """An entry of the audit log."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Hours:
    """When a route holds: days of the week (0 is Monday) and a time of day; `until` before `since` goes over
    midnight, into a day that need not be named."""

    days: frozenset[int] = frozenset(range(7))
    since: time = time(0)
    until: time = time(0)
    """Up to, not including; the same as `since`: all day."""
    zone: tzinfo = UTC

    def hold(self, now: datetime) -> bool:
        local = now.astimezone(self.zone)
        at = local.time().replace(tzinfo=None)
        if self.since == self.until:
            return local.weekday() in self.days
        if self.since < self.until:
            return local.weekday() in self.days and self.since <= at < self.until
        if at >= self.since:
            return local.weekday() in self.days
        return at < self.until and (local - timedelta(days=1)).weekday() in self.days


@dataclass(frozen=True, slots=True, kw_only=True)
class Where:
    """A switch a finding is about, with its site and groups."""

    switch: str
    site: str = ""
    groups: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True, kw_only=True)
class Route:
    name: str
    target: str
    """Name of the target it is sent to."""
    severity: Severity = Severity.WARNING
    """And what is worse."""
    kinds: frozenset[str] = frozenset()
    """Empty: all. The same of sites and groups."""
    sites: frozenset[str] = frozenset()
    groups: frozenset[str] = frozenset()
    hours: Hours = Hours()
    send_cleared: bool = True
    """Whether it is sent too when the finding is over."""
    remind_after: timedelta | None = None
    """Again and again, while it is open and nobody acknowledged it."""
    escalate_after: timedelta | None = None
    escalate_to: str = ""
    """Name of another target, sent to once when it is open for so long and nobody acknowledged it."""
    enabled: bool = True
    set_at: datetime
    """What opened before is not sent by it."""

    def takes(self, finding: Finding, places: tuple[Where, ...], now: datetime) -> bool:
        """`places`: of the switches it is about."""
        if not self.enabled or _ORDER.index(finding.severity) < _ORDER.index(self.severity):
            return False
        if self.kinds and finding.kind.value not in self.kinds:
            return False
        if self.sites and not any(one.site in self.sites for one in places):
            return False
        if self.groups and not any(one.groups & self.groups for one in places):
            return False
        return self.hours.hold(now)
