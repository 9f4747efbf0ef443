"""What may go on unseen: no evidence comes from a switch that is not read."""

from collections.abc import Iterable, Mapping
from dataclasses import replace
from datetime import datetime, timedelta

from kiteroll.core.findings.finding import Detection, Finding, Subject
from kiteroll.core.findings.registry import KINDS
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.tracking.switch_health import SwitchCondition

_MOST = timedelta(days=1)
"""For so long after its last evidence; then it is over, for a switch may never come back."""


def may_go_on_unseen(finding: Finding, switches: Mapping[str, SwitchCondition], now: datetime) -> bool:
    """Whether a switch that the finding is about was not read whole since its last evidence, or is late:
    often it is the loop itself that keeps it from answering. `switches`: by name, of the inventory; one that
    is not in it, or not to be read, is not waited for. Never of how something is: that is looked at."""
    info = KINDS[finding.kind]
    if info.condition or not info.goes_on_unseen or now - finding.last_at > _MOST:
        return False
    concerned = _concerned(finding.details.ports or finding.ports, finding.subject, switches)
    return any(one.enabled and not _is_watched(one, finding.last_at, now) for one in concerned)


def as_last_read(detection: Detection, switches: Mapping[str, SwitchCondition], now: datetime) -> Detection:
    """Of how something is now: as of the latest readings of its switches, where none of them is read in time.
    It may be over since."""
    if not KINDS[detection.kind].goes_on_unseen:
        return detection
    concerned = _concerned(detection.ports, detection.subject, switches)
    read_at = max((one.read_at for one in concerned if one.read_at is not None), default=None)
    if read_at is None or any(one.is_current(now) for one in concerned):
        return detection
    at = min(detection.last_at, read_at)
    return replace(detection, first_at=min(detection.first_at, at), last_at=at)


def _concerned(
    ports: Iterable[PortRef], subject: Subject, switches: Mapping[str, SwitchCondition]
) -> list[SwitchCondition]:
    names = {switch for switch, _ in ports} | {subject.switch}
    return [switches[name] for name in names if name in switches]


def _is_watched(switch: SwitchCondition, since: datetime, now: datetime) -> bool:
    if switch.read_at is None or switch.read_at <= since:
        return False
    due = switch.polled and switch.interval > timedelta(0)  # else nobody knows when the next one comes
    return not (due and switch.is_late(now))
