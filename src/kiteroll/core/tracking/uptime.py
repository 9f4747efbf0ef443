"""Telling a restart from a counter that wrapped (sysUpTime, RFC 3418)."""

from datetime import datetime, timedelta

from kiteroll.core.model.uptime import TICKS_PER_SECOND, WRAP_TICKS, uptime

_SLACK = timedelta(minutes=5)
"""How far an agent's clock may drift between two readings before a wrap is not believed."""


def restarted(before_ticks: int, before_at: datetime, ticks: int, at: datetime) -> bool:
    """Whether the agent restarted between two readings, `before_at` <= `at`.

    The counter wraps after about 497 days, so a smaller value is a restart *or* a wrap. It is a
    wrap when the counter stands where it would stand had it run on through.
    """
    if ticks >= before_ticks:
        return False
    elapsed_ticks = int((at - before_at).total_seconds() * TICKS_PER_SECOND)
    expected = (before_ticks + elapsed_ticks) % WRAP_TICKS
    if before_ticks + elapsed_ticks < WRAP_TICKS - _slack_ticks(elapsed_ticks):
        return True
    off = abs(expected - ticks)
    return min(off, WRAP_TICKS - off) > _slack_ticks(elapsed_ticks)


def drift(before_ticks: int, before_at: datetime, ticks: int, at: datetime) -> timedelta:
    """By how much the agent's clock ran ahead of ours (behind: negative) between two readings that
    no restart separates; a wrap in between is seen through."""
    ran = uptime((ticks - before_ticks) % WRAP_TICKS)
    return ran - (at - before_at)


def _slack_ticks(elapsed_ticks: int) -> int:
    return int(_SLACK.total_seconds()) * TICKS_PER_SECOND + elapsed_ticks // 100
