"""Whether something may go on unseen: no evidence comes from a switch that is not read."""

from collections.abc import Mapping
from datetime import datetime, timedelta

from kiteroll.core.findings.finding import Finding
from kiteroll.core.findings.registry import KINDS
from kiteroll.core.tracking.switch_health import SwitchCondition

MOST = timedelta(days=1)
"""For so long after its last evidence; then it is over, for a switch may never come back."""


def may_go_on_unseen(finding: Finding, switches: Mapping[str, SwitchCondition], now: datetime) -> bool:
    """Whether a switch that the finding is about was not read whole since its last evidence, or is late:
    often it is the loop itself that keeps it from answering. `switches`: by name, of the inventory; one that
    is not in it, or not to be read, is not waited for."""
    if not KINDS[finding.kind].shown_by_readings or now - finding.last_at > MOST:
        return False
    names = {switch for switch, _ in finding.details.ports or finding.ports} | {finding.subject.switch}
    concerned = [switches[name] for name in names if name in switches]
    return any(one.enabled and not _is_watched(one, finding.last_at, now) for one in concerned)


def _is_watched(switch: SwitchCondition, since: datetime, now: datetime) -> bool:
    if switch.read_at is None or switch.read_at <= since:
        return False
    due = switch.polled and switch.interval > timedelta(0)  # else nobody knows when the next one comes
    return not (due and switch.is_late(now))
