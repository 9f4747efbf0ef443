"""How many new addresses a port may bring: an attack that fills a switch's table is not to fill ours."""

from collections import Counter, defaultdict
from collections.abc import Container, Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Gap, Reading, mac_of
from kiteroll.core.scheduling.rate_limit import RateLimit

_HOUR_S = 3600.0
_TABLE = "dot1qTpFdbTable"


@dataclass(frozen=True, slots=True, kw_only=True)
class AdmissionLimits:
    per_port: int = 2_000
    """Addresses never seen anywhere that one port may bring in an hour."""
    endpoints: int = 2_000_000
    """Addresses that are known in all, at most."""


@dataclass(frozen=True, slots=True)
class LeftOut:
    """New addresses of a reading that were not taken."""

    at: datetime
    switch: str
    ports: Mapping[str, int] = field(default_factory=dict)
    """By name of the port they were learned at."""
    full: bool = False
    """Because as many are known as may be, not because the port brought too many."""


class Admission:
    """Looks at the addresses of a reading that are new. Whatever is known already is always taken, and so is
    what the first reading of a switch holds."""

    def __init__(self, limits: AdmissionLimits) -> None:
        self._limits = limits
        self._rate = RateLimit(burst=limits.per_port, per_second=limits.per_port / _HOUR_S, subjects=100_000)

    def admit(
        self, reading: Reading, new: frozenset[int], known: Container[MacAddress], count: int, *, first: bool
    ) -> tuple[Reading, LeftOut | None]:
        """`new`: keys of the reading that the tracker does not have at its switch; `known`: every address
        there is a record of, and how many. Returns the reading with what is taken of it."""
        by_port: dict[int, list[int]] = defaultdict(list)
        for key in new:
            if mac_of(key) not in known:
                by_port[reading.learned[key]].append(key)
        if not by_port:
            return reading, None
        room = self._limits.endpoints - count
        refused: list[int] = []
        now = reading.taken_at.timestamp()
        for number, keys in by_port.items():
            wanted = len(keys)
            granted = wanted if first else self._rate.acquire(f"{reading.switch}|{number}", wanted, now)
            granted = max(0, min(granted, room))
            room -= granted
            if granted < wanted:
                # Which ones is left to their order, so that the same readings give the same records.
                refused += sorted(keys)[granted:]
        if not refused:
            return reading, None
        names = reading.port_names()
        counts = Counter(names[reading.learned[key]] for key in refused)
        without = set(refused)
        learned = {key: port for key, port in reading.learned.items() if key not in without}
        gap = Gap(
            table=_TABLE, why="new addresses left out: more than are taken", rows=len(refused), breaks=False
        )
        left_out = LeftOut(reading.taken_at, reading.switch, dict(counts), full=room <= 0)
        return replace(reading, learned=learned, gaps=(*reading.gaps, gap)), left_out
