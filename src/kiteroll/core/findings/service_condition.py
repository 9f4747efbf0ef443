"""How the service itself is doing: its own troubles are findings like all others."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.model.collector import SiteCondition
from kiteroll.core.model.port_ref import PortRef

SITE_NEWS = timedelta(minutes=5)
"""How long something that happened at a site is reported, such as readings that were dropped there."""


@dataclass(frozen=True, slots=True)
class Trouble:
    """Something of the service that does not work."""

    name: str
    """Of a worker, or of a target."""
    since: datetime
    error: str


@dataclass(frozen=True, slots=True)
class Outage:
    """The database could not be used."""

    began_at: datetime
    ended_at: datetime
    error: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ClosedPort:
    """A port that Kite Roll closed."""

    port: PortRef
    closed_at: datetime
    by: str
    why: str
    held: bool
    """The same breach came back each time the timer had opened it."""
    came_back: int


@dataclass(frozen=True, slots=True, kw_only=True)
class ServiceCondition:
    workers: tuple[Trouble, ...] = ()
    """Workers that do not run, or failed lately."""
    targets: tuple[Trouble, ...] = ()
    """Targets of alerts that take nothing."""
    disk: tuple[int, int] | None = None
    """Octets free and in all, where the data is; None: not known."""
    certificate_ends_at: datetime | None = None
    """None: there is none."""
    outage: Outage | None = None
    """The latest."""
    closed: tuple[ClosedPort, ...] = ()
    sites: tuple[SiteCondition, ...] = ()
    """Those that collectors read."""
    closing_stopped: Trouble | None = None
    """Rules close no ports by themselves any more."""
