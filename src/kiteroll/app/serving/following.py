"""How a service that only answers stands to the one it follows."""

import json
from dataclasses import dataclass
from datetime import datetime

from kiteroll.app.serving.sent_event import FOLLOWING, SentEvent


@dataclass(slots=True)
class Following:
    """Written in the event loop, read anywhere."""

    url: str = ""
    """Of the service that tracks; empty: none is known."""
    since: datetime | None = None
    """What is known here is as the records are, from then on; None: it is not at the moment."""
    note: str = "it has not been reached yet"
    """Why not."""
    problem: str = ""
    """Why answers from here cannot be relied on: it tracks, and is not heard here. While none tracks nothing
    changes, and they can."""

    def event(self) -> SentEvent:
        """For whoever listens to the live stream (`schemas.stream.FollowingEvent`)."""
        state = {"event": FOLLOWING, "heard": self.since is not None, "note": self.note}
        return SentEvent("", FOLLOWING, None, False, json.dumps(state))
