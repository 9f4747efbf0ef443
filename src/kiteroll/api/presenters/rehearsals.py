"""Rehearsals as the API shows them."""

from kiteroll.app.rehearsals import RehearsalRun
from kiteroll.core.rehearsal.rehearsal import RehearsalResult, RehearsedBreach
from kiteroll.core.rehearsal.seat_needs import SeatNeed
from kiteroll.schemas import api
from kiteroll.wording.spans import port_name

_MAX_LISTED = 1_000
"""Ports and devices listed at most; breaches are listed by the thousand too."""


def present_run(run: RehearsalRun, breaches: int) -> api.RehearsalRun:
    """`breaches`: how many are listed at most."""
    return api.RehearsalRun(
        id=run.number,
        state=run.state,  # type: ignore[arg-type]  # from the same set
        error=run.error,
        began_at=run.began_at,
        ended_at=run.ended_at,
        since=run.scope.since,
        until=run.scope.until,
        site=run.scope.site,
        switch=run.scope.switch,
        group=run.scope.group,
        changes=run.changes,
        switches=run.switches,
        done=run.done,
        findings=None if run.result is None else _findings(run.result, breaches),
    )


def _findings(result: RehearsalResult, breaches: int) -> api.RehearsalFindings:
    return api.RehearsalFindings(
        recorded_since=result.recorded_since,
        stays=result.stays,
        reported=result.reported,
        not_reported=result.not_reported,
        by_kind={kind.value: count for kind, count in sorted(result.by_kind.items())},
        by_day=[api.RehearsedDay(day=day, breaches=count) for day, count in sorted(result.by_day.items())],
        ports=[
            api.RehearsedPort(
                switch=one.port[0],
                port=one.port[1],
                breaches=one.breaches,
                lasted_s=one.lasted.total_seconds(),
            )
            for one in result.ports[:_MAX_LISTED]
        ],
        ports_count=len(result.ports),
        devices=[
            api.RehearsedDevice(mac=str(mac), breaches=count) for mac, count in result.devices[:_MAX_LISTED]
        ],
        breaches=[_breach(one) for one in result.breaches[:breaches]],
        without_effect=[port_name(port) for port in result.without_effect[:_MAX_LISTED]],
        without_effect_count=len(result.without_effect),
        seats=[present_seats(one) for one in result.seats[:_MAX_LISTED]],
        seats_count=len(result.seats),
    )


def _breach(one: RehearsedBreach) -> api.RehearsedBreach:
    return api.RehearsedBreach(
        kind=one.kind.value,
        switch=one.ports[0][0],
        port=one.ports[0][1],
        ports=len(one.ports),
        mac=None if one.mac is None else str(one.mac),
        vlan=one.vlan,
        began_at=one.began_at,
        ended_at=one.ended_at,
        lasted_s=(one.ended_at - one.began_at).total_seconds(),
        count=one.count,
        on_breach=one.on_breach,  # type: ignore[arg-type]  # written from OnBreach
    )


def present_seats(one: SeatNeed) -> api.SeatSuggestion:
    return api.SeatSuggestion(
        switch=one.port[0],
        port=one.port[1],
        typical=one.typical,
        high=one.high,
        peak=one.peak,
        above_high_s=one.above_high.total_seconds(),
    )
