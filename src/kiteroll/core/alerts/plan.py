"""What is to be sent now of one finding, by one route; from what was sent of it before."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from kiteroll.core.alerts.route import AlertReason, Route
from kiteroll.core.findings.finding import Finding, State


@dataclass(frozen=True, slots=True)
class Sent:
    """A message that was made of the finding, since it opened last."""

    reason: AlertReason
    at: datetime
    number: int
    """Of its reason: reminders count up."""


@dataclass(frozen=True, slots=True)
class Planned:
    reason: AlertReason
    target: str
    number: int = 0


def planned(
    route: Route, finding: Finding, sent: Collection[Sent], *, takes: bool, now: datetime
) -> list[Planned]:
    """`takes`: whether the route takes the finding as it is now. That one is over goes only to
    those who were sent that it opened. What somebody acknowledged, and what another finding explains, is
    not sent."""
    reasons = {one.reason for one in sent}
    if finding.state is State.CLEARED:
        if not route.send_cleared or AlertReason.OPENED not in reasons or AlertReason.OVER in reasons:
            return []
        targets = [route.target]
        if AlertReason.ESCALATED in reasons:
            targets.append(route.escalate_to)
        return [Planned(AlertReason.OVER, target) for target in targets if target]
    if not takes or finding.part_of or finding.state is State.ACKNOWLEDGED:
        return []
    if AlertReason.OPENED not in reasons:
        return [Planned(AlertReason.OPENED, route.target)] if finding.opened_at >= route.set_at else []
    found = []
    if route.remind_after is not None:
        last = max(one.at for one in sent if one.reason in (AlertReason.OPENED, AlertReason.REMINDER))
        if now - last >= route.remind_after:
            count = sum(one.reason is AlertReason.REMINDER for one in sent)
            found.append(Planned(AlertReason.REMINDER, route.target, count + 1))
    if route.escalate_after is not None and route.escalate_to and AlertReason.ESCALATED not in reasons:
        first = min(one.at for one in sent if one.reason is AlertReason.OPENED)
        if now - first >= route.escalate_after:
            found.append(Planned(AlertReason.ESCALATED, route.escalate_to))
    return found
