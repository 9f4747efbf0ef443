"""Changes, readings, differences, rounds and imports, as the API shows them."""

from kiteroll.app.events import ReadingFailed
from kiteroll.app.ingest import Outcome
from kiteroll.app.on_demand_rounds import RoundProgress
from kiteroll.app.queries.history import ChangeRow, ReadingRow
from kiteroll.app.queries.trends import HourRow
from kiteroll.app.queries.unread_switches import UnreadSwitch
from kiteroll.core.model.reading_summary import ReadingSummary
from kiteroll.core.tracking.differences import Difference
from kiteroll.schemas import api
from kiteroll.wording.stays import ending_text


def present_change(row: ChangeRow) -> api.Change:
    return api.Change(
        id=row.id,
        at=row.at,
        kind=row.kind,  # type: ignore[arg-type]  # written from ChangeKind
        switch=row.switch_name,
        mac=row.mac,  # type: ignore[arg-type]  # the model turns it into text
        vlan=row.vlan,
        port=row.port_name,
        from_port=row.origin_port_name,
        ending=None if row.ending is None else ending_text(row.ending),
    )


def present_reading(row: ReadingRow) -> api.ReadingSummary:
    return api.ReadingSummary(
        switch=row.switch_name,
        taken_at=row.taken_at,
        duration_ms=row.duration_ms,
        outcome=row.outcome,  # type: ignore[arg-type]  # written by the reading writer
        rows=row.row_count,
        changes=row.change_count,
        gaps=[api.Gap.model_validate(gap) for gap in row.gaps],
        error=row.error,
    )


def present_hour(row: HourRow) -> api.Hour:
    return api.Hour(
        began_at=row.began_at,
        readings=row.readings,
        incomplete=row.incomplete,
        slowest_ms=row.slowest_ms,
        changes=row.changes,
        new_endpoints=row.new_endpoints,
        findings=row.findings,
    )


def present_outcome(outcome: Outcome) -> api.ReadingSummary:
    duration_ms = round(outcome.duration.total_seconds() * 1000)
    if isinstance(outcome, ReadingFailed):
        return api.ReadingSummary(
            switch=outcome.switch,
            taken_at=outcome.at,
            duration_ms=duration_ms,
            outcome="failed",
            rows=0,
            changes=0,
            gaps=[],
            error=outcome.error,
        )
    return summarise(outcome.switch, outcome.summary, duration_ms=duration_ms, changes=outcome.change_count)


def summarise(switch: str, reading: ReadingSummary, *, duration_ms: int, changes: int) -> api.ReadingSummary:
    return api.ReadingSummary(
        switch=switch,
        taken_at=reading.taken_at,
        duration_ms=duration_ms,
        outcome="complete" if reading.complete else "partial",
        rows=reading.learned + reading.others,
        changes=changes,
        gaps=[
            api.Gap(table=gap.table, why=gap.why, rows=gap.rows, breaks=gap.breaks) for gap in reading.gaps
        ],
        error=None,
    )


def present_difference(one: Difference) -> api.Difference:
    return api.Difference(
        mac=one.mac,  # type: ignore[arg-type]  # the model turns it into text
        kind=one.kind.value,
        at=one.at,
        before=[str(place) for place in one.before],
        after=[str(place) for place in one.after],
    )


def present_unread_switch(one: UnreadSwitch) -> api.UnreadSwitch:
    return api.UnreadSwitch(switch=one.name, read_before=one.read_before, read_after=one.read_after)


def present_round(one: RoundProgress) -> api.Round:
    row, tried = one.row, one.tried
    complete = [name for name, whole in tried.items() if whole]
    return api.Round(
        id=row.id,
        state=row.state,  # type: ignore[arg-type]  # written by the rounds
        began_at=row.began_at,
        ended_at=row.ended_at,
        total=len(row.wanted),
        tried=len(tried),
        complete=len(complete),
        remaining=[name for name in row.wanted if name not in tried],
        failed=sorted(tried.keys() - set(complete)),
    )
