"""Where the tracker stands with one switch; kept in the store between runs of the service."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.model.device_identity import is_another_device
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Reading
from kiteroll.core.tracking.pauses import longest_unnoticed
from kiteroll.core.tracking.uptime import drift, restarted


@dataclass(frozen=True, slots=True, kw_only=True)
class SwitchCheckpoint:
    last_at: datetime | None = None
    last_complete_at: datetime | None = None
    read_since: datetime | None = None
    """Since when complete readings came without a pause in which an address could come and go unseen; None:
    no gap is known, in records from before this was noted."""
    uptime_ticks: int | None = None
    uptime_at: datetime | None = None
    grace_until: datetime | None = None
    """Until then absence does not count, because the switch restarted."""
    drift: timedelta | None = None
    """By how much its uptime ran ahead of our clock between its last two readings."""
    learning_discards: int | None = None
    """dot1dTpLearnedEntryDiscards, as last reported."""
    discards_rose_at: datetime | None = None
    """When that count was last higher than in the reading before."""
    bridge_address: MacAddress | None = None
    """Of the device that reported all this, as last reported."""

    def after(self, reading: Reading, grace_until: datetime | None) -> "SwitchCheckpoint":
        ticks = reading.device.uptime_ticks
        address = reading.device.bridge_address
        discards = reading.device.learning_discards
        before, rose_at = self.learning_discards, self.discards_rose_at
        if self._is_another(reading):
            before = rose_at = None
        if discards is not None and before is not None and discards > before:
            rose_at = reading.taken_at
        return SwitchCheckpoint(
            last_at=reading.taken_at,
            last_complete_at=reading.taken_at if reading.complete else self.last_complete_at,
            read_since=self._read_since(reading),
            uptime_ticks=self.uptime_ticks if ticks is None else ticks,
            uptime_at=self.uptime_at if ticks is None else reading.taken_at,
            grace_until=grace_until,
            drift=self._drift_to(reading),
            learning_discards=before if discards is None else discards,
            discards_rose_at=rose_at,
            bridge_address=self.bridge_address if address is None else address,
        )

    def _read_since(self, reading: Reading) -> datetime | None:
        if not reading.complete:
            return self.read_since
        before = self.last_complete_at
        paused = before is None or reading.taken_at - before > longest_unnoticed(reading.device.ageing)
        return reading.taken_at if paused else self.read_since

    def _is_another(self, reading: Reading) -> bool:
        """Whether another device reports it: its counts do not go on with those of the one before."""
        return is_another_device(self.bridge_address, reading.device.bridge_address)

    def _drift_to(self, reading: Reading) -> timedelta | None:
        ticks = reading.device.uptime_ticks
        if ticks is None or self.uptime_ticks is None or self.uptime_at is None:
            return None
        if self.restart_before(reading) or self._is_another(reading):
            return None
        return drift(self.uptime_ticks, self.uptime_at, ticks, reading.taken_at)

    def restart_before(self, reading: Reading) -> bool:
        ticks = reading.device.uptime_ticks
        if ticks is None or self.uptime_ticks is None or self.uptime_at is None:
            return False
        return restarted(self.uptime_ticks, self.uptime_at, ticks, reading.taken_at)
