"""Whether what a finding says may be over before it clears."""

from datetime import datetime

from kiteroll.core.findings.condition_watch import CONDITIONS_EVERY
from kiteroll.core.findings.finding import Finding, State
from kiteroll.core.findings.registry import KINDS

_OVERDUE = 3 * CONDITIONS_EVERY


def may_be_over_at(finding: Finding) -> datetime | None:
    """From when on a condition may be over, unless it is found to be so again by then; None for one that is
    cleared, and for what happened, which stays so."""
    info = KINDS[finding.kind]
    if finding.state is State.CLEARED or not info.condition or info.by_readings:
        return None
    return finding.last_at + _OVERDUE
