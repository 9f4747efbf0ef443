"""The clock of a collector: that of the centre, as far as it is known, also while the line is down."""

from datetime import UTC, datetime, timedelta

from kiteroll.clock import SystemClock

_WORTH_IT = timedelta(seconds=0.5)
"""A difference that small is the network's, not the clock's."""


class CentreClock(SystemClock):
    """Readings of two collectors of a site, and of other sites, are told apart by when they were taken: by
    one clock. Set back, it goes on at half speed until it is right, so that readings stay in order."""

    def __init__(self, ahead_s: float = 0.0) -> None:
        """`ahead_s`: by how much the clock of this machine was ahead when it was known last."""
        self._ahead_of_centre = timedelta(seconds=ahead_s)
        super().__init__(now=lambda: _machine_now() - self._ahead_of_centre)

    @property
    def ahead_s(self) -> float:
        """By how much this machine's clock is ahead of the centre's, in seconds."""
        return self._ahead_of_centre.total_seconds()

    def compare(self, centre: datetime, took_s: float) -> None:
        """The centre said its time in an answer that took so many seconds there and back."""
        ahead = _machine_now() - timedelta(seconds=took_s / 2) - centre
        if abs(ahead - self._ahead_of_centre) > _WORTH_IT:
            self._ahead_of_centre = ahead


def _machine_now() -> datetime:
    return datetime.now(UTC)  # noqa: TID251 - what is compared is the machine's own clock
