"""Which ageing time would suit a switch, by its table and by how often its endpoints talk.

Too short, and who is quiet for a while is forgotten: frames for them are flooded, and they look gone. Too
long, and the table fills with who left.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from enum import StrEnum

from kiteroll.core.port_actions.actions import LONGEST_AGEING_S, SHORTEST_AGEING_S

STANDARD_S = 300
"""Recommended (IEEE 802.1Q table 8-6)."""
_FULL = 0.8
"""Share of the table that is used from which on it is to be shorter."""
_SILENT_SHARE = 0.05
"""Share of endpoints that were away for a while and came back from which on it is to be longer."""
_STEP_S = 60


class Advice(StrEnum):
    KEEP = "keep"
    LONGER = "longer"
    SHORTER = "shorter"
    LARGER_TABLE = "larger table"
    """Shorter would forget who talks seldom, longer would fill it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class AgeingFacts:
    ageing: timedelta | None
    """As the switch reports it."""
    present: int
    table_size: int | None
    discards: int | None
    """Addresses that were not learned for lack of room, where that rose in the time looked at."""
    endpoints: int
    """Seen at access ports of it in the time looked at."""
    silences: Sequence[timedelta]
    """How long those were away at most who went quiet and came back to the same port, one an endpoint."""


@dataclass(frozen=True, slots=True, kw_only=True)
class AgeingAdvice:
    advice: Advice
    seconds: int | None
    """What it should be; None where it should stay, or no setting helps."""
    talk_seldom: float
    """Share of endpoints that were forgotten and came back."""
    table_use: float | None
    facts: AgeingFacts


def advise(facts: AgeingFacts) -> AgeingAdvice:
    now_s = int(facts.ageing.total_seconds()) if facts.ageing else STANDARD_S
    seldom = len(facts.silences) / facts.endpoints if facts.endpoints else 0.0
    use = facts.present / facts.table_size if facts.table_size else None
    full = bool(facts.discards) or (use is not None and use >= _FULL)
    forgets = seldom >= _SILENT_SHARE
    advice, seconds = Advice.KEEP, None
    if full and forgets:
        advice = Advice.LARGER_TABLE
    elif full and now_s > STANDARD_S:
        advice, seconds = Advice.SHORTER, STANDARD_S
    elif full and now_s > _STEP_S:
        advice, seconds = Advice.SHORTER, max(SHORTEST_AGEING_S, now_s // 2)
    elif forgets:
        advice, seconds = Advice.LONGER, _longer(now_s, facts.silences)
    return AgeingAdvice(advice=advice, seconds=seconds, talk_seldom=seldom, table_use=use, facts=facts)


def _longer(now_s: int, silences: Sequence[timedelta]) -> int:
    """What would have kept nineteen of twenty of those: their silence and the ageing time together, in whole
    minutes."""
    ordered = sorted(silences)
    enough = ordered[min(len(ordered) - 1, int(0.95 * len(ordered)))].total_seconds()
    minutes = -(-(now_s + enough) // _STEP_S)
    return int(min(max(minutes * _STEP_S, now_s), 4 * 3600, LONGEST_AGEING_S))
