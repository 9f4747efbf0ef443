"""Conditions that count only once they have lasted: some are so for seconds, and mean nothing."""

from collections.abc import Iterable
from dataclasses import replace
from datetime import datetime, timedelta

from kiteroll.core.findings.finding import Detection


class LastingConditions:
    def __init__(self) -> None:
        self._since: dict[str, datetime] = {}

    def lasting(self, detections: Iterable[Detection], now: datetime, at_least: timedelta) -> list[Detection]:
        """Those of `detections`, which are all that are so now, that have been so for that long."""
        found = {one.key: one for one in detections}
        self._since = {key: self._since.get(key, now) for key in found}
        return [
            replace(one, first_at=self._since[key])
            for key, one in found.items()
            if now - self._since[key] >= at_least
        ]
