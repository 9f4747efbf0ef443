"""What messages say: of findings, of entries of the audit log, and of a test."""

import json
from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from kiteroll.core.alerts.route import AlertReason, Where
from kiteroll.core.findings.finding import Finding, Severity
from kiteroll.deliver.delivery import Message
from kiteroll.store.outbox import COUNTED, MessageRow
from kiteroll.wording.finding_titles import title
from kiteroll.wording.findings import cause

_BEGINS = {
    AlertReason.OPENED: "",
    AlertReason.REMINDER: "Still open: ",
    AlertReason.ESCALATED: "Nobody acknowledged: ",
    AlertReason.OVER: "Over: ",
}


def content_of(
    finding: Finding, number: int, reason: AlertReason, places: Sequence[Where], public_url: str
) -> dict[str, Any]:
    """What is kept of a finding in its message, as it is now. `public_url`: of the console; may be empty."""
    subject = finding.subject
    switch, port = subject.switch, subject.port
    if not switch and len(finding.ports) == 1:
        ((switch, port),) = finding.ports
    return {
        "reason": reason.value,
        "finding": number,
        "kind": finding.kind.value,
        "severity": finding.severity.value,
        "title": title(finding),
        "cause": cause(finding),
        "switch": switch,
        "port": port,
        "mac": str(subject.mac) if subject.mac else "",
        "ip": subject.ip,
        "ports": [{"switch": on, "port": name} for on, name in sorted(finding.ports)[:20]],
        "sites": sorted({one.site for one in places} - {""}),
        "opened_at": finding.opened_at.isoformat(),
        "cleared_at": finding.cleared_at.isoformat() if finding.cleared_at else None,
        "cleared_by": finding.cleared_by,
        "note": finding.note,
        "link": f"{public_url.rstrip('/')}/findings/{number}" if public_url else "",
    }


def message_of(row: MessageRow) -> Message:
    if row.reason is AlertReason.AUDIT:
        return _of_audit_entry(row)
    content = row.content
    line = f"{_BEGINS.get(row.reason, '')}{content['title']}"
    facts = {
        "Severity": content["severity"],
        "Likely cause": content["cause"],
        "Switch": content["switch"],
        "Port": content["port"],
        "Address": content["mac"],
        "IP": content["ip"],
        "Sites": ", ".join(content["sites"]),
        "Open since": _shown(content["opened_at"]),
        "Over at": _shown(content["cleared_at"]),
        "Cleared by": content["cleared_by"],
        "Note": content["note"],
        "See": content["link"],
    }
    return Message(
        number=row.id,
        at=row.made_at,
        severity=content["severity"],
        line=line,
        text="\n".join([line, "", *(f"{name}: {value}" for name, value in facts.items() if value)]),
        content=content,
        over=row.reason is AlertReason.OVER,
    )


def _of_audit_entry(row: MessageRow) -> Message:
    entry = row.content
    line = f"Audit: {entry['by']} {entry['action']} {entry['subject']}".rstrip() + f" ({entry['stage']})"
    return Message(
        number=row.id,
        at=row.made_at,
        severity=Severity.NOTE.value,
        line=line,
        text=f"{line}\n\n{json.dumps(entry, ensure_ascii=False, indent=2)}",
        content={**entry, "reason": AlertReason.AUDIT.value, "entry": entry["number"]},
    )


def counted_message(counts: Mapping[tuple[str, AlertReason], int], at: datetime) -> Message:
    """Of those that wait beside the others of a delivery. `counts`: by kind of finding, and reason."""
    most_first = sorted(counts.items(), key=lambda one: (-one[1], one[0]))
    named = ", ".join(f"{count:,} {kind} {reason.value}" for (kind, reason), count in most_first)
    line = f"{sum(counts.values()):,} more alerts are only counted here: {named}"
    text = f"{line}\n\n`kiteroll alert list --state counted` names them."
    content: Mapping[str, Any] = {
        "reason": COUNTED,
        "title": line,
        "severity": Severity.NOTE.value,
        "counts": [
            {"kind": kind, "reason": reason.value, "count": count} for (kind, reason), count in most_first
        ],
    }
    return Message(
        number=0,
        at=at,
        severity=Severity.NOTE.value,
        line=line,
        text=text,
        content=content,
        stands_for=sum(counts.values()),
    )


def test_message(target: str, by: str, at: datetime) -> Message:
    line = f"A test: {by} tries whether alerts reach {target}"
    content: Mapping[str, Any] = {"reason": AlertReason.TEST.value, "title": line, "severity": "note"}
    return Message(number=0, at=at, severity="note", line=line, text=line, content=content)


def _shown(text: str | None) -> str:
    return f"{datetime.fromisoformat(text):%Y-%m-%d %H:%M:%S} UTC" if text else ""
