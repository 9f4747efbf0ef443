"""Findings and the help about their kinds, as the API shows them."""

from collections.abc import Callable
from dataclasses import fields
from datetime import datetime, timedelta

from kiteroll.app.queries.findings import FindingWithParts
from kiteroll.core.findings.finding import Finding
from kiteroll.core.findings.kind_info import KindInfo
from kiteroll.core.findings.overdue import may_be_over_at
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.schemas import api
from kiteroll.wording.finding_titles import title
from kiteroll.wording.findings import cause, evidence_text
from kiteroll.wording.spans import span


def present_finding(
    found: FindingWithParts, clears_at: Callable[[Finding], datetime | None] | None
) -> api.Finding:
    """`clears_at`: None for one of the past, of which that is not known."""
    one = found.row.finding
    return api.Finding(
        id=found.row.id,
        kind=one.kind.value,
        severity=one.severity.value,
        state=one.state.value,
        title=title(one),
        cause=_cause(found),
        mac=one.subject.mac,  # type: ignore[arg-type]  # the model turns it into text
        switch=one.subject.switch or None,
        port=one.subject.port or None,
        ip=one.subject.ip or None,
        area=one.subject.area or None,
        ports=[api.FindingPort(switch=switch, port=port) for switch, port in sorted(one.ports)],
        evidence=[
            api.Evidence(type=type(each).__name__, at=each.at, text=evidence_text(each))
            for each in one.evidence
        ],
        count=one.count,
        times_opened=one.times_opened,
        first_at=one.first_at,
        opened_at=one.opened_at,
        last_at=one.last_at,
        may_be_over_at=None if clears_at is None else may_be_over_at(one),
        clears_at=None if clears_at is None else clears_at(one),
        cleared_at=one.cleared_at,
        cleared_by=one.cleared_by,
        acknowledged_by=one.acknowledged_by,
        note=one.note,
        acknowledged_until=one.acknowledged_until,
        parts=found.parts,
        part_of=None if found.by is None else found.by.id,
    )


def _cause(found: FindingWithParts) -> str:
    """Of one that another explains, what that says: its own was worked out as if it stood alone."""
    if found.root is None:
        return cause(found.row.finding)
    return f"finding {found.root.id} explains it: {cause(found.root.finding)}"


def present_kind(info: KindInfo, thresholds: Thresholds) -> api.FindingKindHelp:
    return api.FindingKindHelp(
        kind=info.kind.value,
        title=info.help.title,
        why=info.help.why,
        evidence=info.help.evidence,
        action=info.help.action,
        fewer=info.help.fewer,
        thresholds=[_threshold(name, thresholds) for name in info.thresholds],
    )


def _threshold(name: str, thresholds: Thresholds) -> str:
    value = next(getattr(thresholds, one.name) for one in fields(thresholds) if one.name == name)
    return f"findings.{name} = {span(value) if isinstance(value, timedelta) else value}"
