"""How long a quiet address keeps its stay on a switch: its own setting, its groups', or the default."""

from collections.abc import Mapping, Sequence
from datetime import timedelta

from kiteroll.core.topology.sighting import judged_ageing

HOLD_TIME_IN_AGEING_TIMES = 3
"""Default hold time, in ageing times: a device that wakes every ten minutes keeps its stay."""


def inherited_hold_time(
    own: timedelta | None, groups: Sequence[str], by_group: Mapping[str, timedelta]
) -> timedelta | None:
    """A switch's own hold time, else the longest of its groups; None: the one of the service."""
    if own is not None:
        return own
    return max((by_group[group] for group in groups if group in by_group), default=None)


def hold_time(setting: timedelta | None, ageing: timedelta | None) -> timedelta:
    """The hold time that applies: the setting, else three times the switch's ageing time."""
    return setting if setting is not None else HOLD_TIME_IN_AGEING_TIMES * judged_ageing(ageing)
