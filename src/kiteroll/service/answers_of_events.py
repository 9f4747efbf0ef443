"""From records to answers: what happened. Changes, readings, findings, comparisons, IPs."""

from kiteroll.collect.rounds import Attempt
from kiteroll.core.compare import Compared
from kiteroll.core.findings.model import State, Thresholds
from kiteroll.core.reading import Reading
from kiteroll.schemas import api
from kiteroll.store.findings import Explained
from kiteroll.store.names import IpStay
from kiteroll.store.overview import ChangeRow, ReadingRow
from kiteroll.store.quiet import QuietTime


def finding_answer(explained: Explained, limits: Thresholds) -> api.Finding:
    one = explained.row.finding
    live = one.state is not State.CLEARED
    return api.Finding(
        id=explained.row.id,
        kind=one.kind.value,
        severity=one.severity.value,
        state=one.state.value,
        title=one.title,
        cause=one.cause,
        mac=one.subject.mac,  # type: ignore[arg-type]  # the model turns it into text
        switch=one.subject.switch or None,
        port=one.subject.port or None,
        ip=one.subject.ip or None,
        places=[api.FindingPlace(switch=switch, port=port) for switch, port in sorted(one.places)],
        evidence=[api.Evidence(at=each.at, text=each.text) for each in one.evidence],
        count=one.count,
        opened=one.opened,
        first_at=one.first_at,
        opened_at=one.opened_at,
        last_at=one.last_at,
        clears_at=one.last_at + limits.quiet_time(one.kind) if live else None,
        cleared_at=one.cleared_at,
        cleared_by=one.cleared_by,
        acknowledged_by=one.acknowledged_by,
        note=one.note,
        acknowledged_until=one.acknowledged_until,
        parts=explained.parts,
        part_of=None if explained.by is None else explained.by.id,
    )


def compared_answer(one: Compared) -> api.Compared:
    return api.Compared(
        mac=one.mac,  # type: ignore[arg-type]  # the model turns it into text
        difference=one.difference.value,
        at=one.at,
        before=[str(place) for place in one.before],
        after=[str(place) for place in one.after],
    )


def ip_answer(row: IpStay) -> api.IpStay:
    return api.IpStay(
        ip=row.ip, source=row.source, began_at=row.began_at, ended_at=row.ended_at, names=list(row.names)
    )


def quiet_answer(row: QuietTime) -> api.QuietTime:
    place = row.place
    return api.QuietTime(
        switch=place.switch, port=place.port, vlan=place.vlan, began_at=row.began_at, ended_at=row.ended_at
    )


def change_answer(row: ChangeRow) -> api.Change:
    return api.Change(
        id=row.id,
        at=row.at,
        kind=row.kind,  # type: ignore[arg-type]  # written from ChangeKind
        switch=row.switch_name,
        mac=row.mac,  # type: ignore[arg-type]  # the model turns it into text
        vlan=row.vlan,
        port=row.port_name,
        from_port=row.origin_port_name,
        why=row.why,
    )


def reading_answer(row: ReadingRow) -> api.ReadingSummary:
    return api.ReadingSummary(
        switch=row.switch_name,
        taken_at=row.taken_at,
        duration_ms=row.duration_ms,
        outcome=row.outcome,  # type: ignore[arg-type]  # written by the recorder
        rows=row.row_count,
        changes=row.change_count,
        gaps=[api.Gap.model_validate(gap) for gap in row.gaps],
        error=row.error,
    )


def attempt_answer(attempt: Attempt) -> api.ReadingSummary:
    outcome = attempt.outcome
    taken_at, duration_ms = attempt.started_at, round(attempt.duration.total_seconds() * 1000)
    if not isinstance(outcome, Reading):
        return api.ReadingSummary(
            switch=attempt.name,
            taken_at=taken_at,
            duration_ms=duration_ms,
            outcome="failed",
            rows=0,
            changes=attempt.changes,
            gaps=[],
            error=str(outcome),
        )
    return api.ReadingSummary(
        switch=attempt.name,
        taken_at=taken_at,
        duration_ms=duration_ms,
        outcome="complete" if outcome.complete else "partial",
        rows=len(outcome.learned) + len(outcome.others),
        changes=attempt.changes,
        gaps=[
            api.Gap(table=gap.table, why=gap.why, rows=gap.rows, breaks=gap.breaks) for gap in outcome.gaps
        ],
        error=None,
    )
