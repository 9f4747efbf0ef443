"""An event as the live stream carries it, and the line it is between services."""

import json
from dataclasses import astuple, dataclass
from typing import Self

HELLO = "hello"
"""Opens the lines; its id is that of the latest event."""
RESYNC = "resync"
"""Events were missed."""
FOLLOWING = "following"
"""From a service that only answers, of itself: it has no number, and is not kept."""
AUDITED = "audited"
"""Somebody changed something; data: the action, as the audit log calls it. For services alone."""
STORED = "stored"
"""A reading was stored; data: as `app.trackers.reports` writes it. For services alone, without a number."""
PROBED = "probed"
"""One address was asked for, and something had changed. For services alone, without a number."""
FORGOTTEN = "index.forget"
"""Not of the audit log, and sent like its actions: records of endpoints were deleted."""


@dataclass(frozen=True, slots=True)
class SentEvent:
    id: str
    """Of a run of the service, then a number that grows by one."""
    name: str
    switch: str | None
    on_uplink: bool
    data: str
    """JSON."""

    def line(self) -> str:
        return json.dumps(astuple(self)) + "\n"

    @classmethod
    def from_line(cls, line: str) -> Self:
        """Raises ValueError for what is none."""
        given = json.loads(line)
        if not isinstance(given, list) or len(given) != 5:
            raise ValueError("no event of another service")
        return cls(*given)
