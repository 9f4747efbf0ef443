"""Rules, rolls, windows and the roll call, as the API shows them; and what of them comes in, as values."""

from datetime import datetime, timedelta
from typing import Any

from kiteroll.app.enrolment import CandidateView, Decision, WindowView
from kiteroll.app.port_rules import BarredRow, RuleEventRow, RuleOutcome, RuleRow
from kiteroll.app.queries.roll_call import AbsentEntry, CalledPort
from kiteroll.core.model.makers import AddressOrigin
from kiteroll.core.model.ranges import ranges
from kiteroll.core.policy.levels import Level
from kiteroll.core.policy.port_rules import NO_LIMIT, NoLimit, OnBreach, Seats
from kiteroll.core.policy.roll import Barred, Enrolled, prefix_text
from kiteroll.core.policy.roll_call import Attended, RollCallCounts
from kiteroll.core.policy.rule_changes import Difference, LevelChange
from kiteroll.schemas import api
from kiteroll.wording.spans import port_name, span


def level_of(given: api.RuleLevel) -> Level:
    return Level(given.group or "", given.switch or "", given.port or "", given.ports or "")


def change_of(given: api.RuleChange) -> LevelChange:
    """What is set in the request, and nothing else."""
    values: dict[str, Any] = {}
    for name in given.model_fields_set - set(api.RuleLevel.model_fields):
        value = getattr(given, name)
        match name:
            case "seats":
                values[name] = _seats(value)
            case "vlans":
                values[name] = None if value is None else frozenset(value)
            case "on_breach":
                values[name] = None if value is None else OnBreach(value)
            case "reopen_after_s":
                values["reopen_after"] = None if value is None else timedelta(seconds=value)
            case "note":
                values[name] = value or ""
            case _:
                values[name] = value
    return LevelChange(level_of(given), values)


def entry_of(given: api.NewEntry) -> Enrolled:
    return Enrolled(given.prefix, given.vlan, given.expires_at, level_of(given), given.note, given.owner)


def _seats(value: int | str | None) -> Seats | None:
    return NO_LIMIT if value == NO_LIMIT.value else value  # type: ignore[return-value]  # checked by the model


def _plain_seats(value: Seats | None) -> Any:
    return value.value if isinstance(value, NoLimit) else value


def _level_fields(level: Level) -> dict[str, Any]:
    return {
        "group": level.group or None,
        "switch": level.switch or None,
        "ports": level.ports or None,
        "port": level.port or None,
    }


def present_rule(row: RuleRow, now: datetime) -> api.PortRules:
    rule = row.rule
    reopen = rule.reopen_after
    return api.PortRules(
        level=str(row.level),
        **_level_fields(row.level),
        seats=_plain_seats(rule.seats),
        watched=rule.watched,
        vlans=None if rule.vlans is None else sorted(rule.vlans),
        on_breach=None if rule.on_breach is None else rule.on_breach.value,
        reopen_after_s=None if reopen is None else int(reopen.total_seconds()),
        uplinks=rule.uplinks,
        note=rule.note,
        roll=[
            api.RollEntry(
                id=one.entry.number,
                prefix=one.entry.prefix,
                vlan=one.entry.vlan,
                note=one.entry.note,
                owner=one.entry.owner,
                expires_at=one.entry.expires_at,
                expired=one.entry.expired(now),
                by=one.by,
                at=one.at,
                via=one.via,
            )
            for one in row.roll
        ],
    )


def present_outcome(outcome: RuleOutcome) -> api.RulesOutcome:
    return api.RulesOutcome(
        applied=outcome.applied,
        differences=[_difference(one) for one in outcome.differences],
        cautions=list(outcome.cautions),
    )


def _difference(one: Difference) -> api.RuleDifference:
    entry = one.after if one.after is not None else one.before
    about = str(entry) if isinstance(entry, Enrolled | Barred) else None
    return api.RuleDifference(
        level=str(one.level),
        **_level_fields(one.level),
        what=one.what,
        address=about,
        before=_value_text(one.before),
        after=_value_text(one.after),
    )


def _value_text(value: Any) -> str | None:
    """A value of a rule in a few words."""
    match value:
        case None | "":
            return None
        case NoLimit() | OnBreach():
            return str(value.value)
        case bool():
            return "yes" if value else "no"
        case frozenset():
            return ", ".join(ranges(value)) or "none"
        case timedelta():
            return span(value) if value else "never"
        case Enrolled():
            ends = "" if value.expires_at is None else f"until {value.expires_at:%Y-%m-%d %H:%M} UTC"
            return ", ".join(filter(None, (value.note, value.owner, ends))) or "enrolled"
        case Barred():
            ends = "" if value.expires_at is None else f"until {value.expires_at:%Y-%m-%d %H:%M} UTC"
            return ", ".join(filter(None, (value.reason, ends))) or "barred"
        case _:
            return str(value)


def present_barred(row: BarredRow, now: datetime) -> api.BarredEntry:
    return api.BarredEntry(
        prefix=row.entry.prefix,
        reason=row.entry.reason,
        expires_at=row.entry.expires_at,
        expired=row.entry.expired(now),
        by=row.by,
        at=row.at,
    )


def present_enrolment(entries: list[Enrolled], barred: Barred | None) -> api.EnrolmentOf:
    return api.EnrolmentOf(
        enrolled=[
            f"{one.level}: {', '.join(filter(None, (str(one), one.note, one.owner)))}" for one in entries
        ],
        barred=None if barred is None else barred.reason or str(barred),
    )


def present_event(row: RuleEventRow) -> api.RuleEvent:
    return api.RuleEvent(
        at=row.at,
        by=row.by,
        reason=row.reason,
        via=row.via,
        level=str(row.level),
        what=row.what,
        address=prefix_text(row.prefix) or None,
        before=row.before,
        after=row.after,
    )


def _called_fields(called: CalledPort) -> dict[str, Any]:
    occupancy, counts = called.occupancy, called.counts
    rule = occupancy.rule
    return {
        "switch": occupancy.port[0],
        "port": occupancy.port[1],
        "alias": called.alias,
        "exempt": occupancy.exempt,
        "seats": _plain_seats(rule.seats),
        "watched": rule.watched,
        "vlans": None if rule.vlans is None else sorted(rule.vlans),
        "on_breach": rule.on_breach.value,
        "reopen_after_s": int(rule.reopen_after.total_seconds()),
        "uplinks": rule.uplinks,
        "sources": {name: str(level) for name, level in rule.sources.items()},
        "roll_size": len(rule.roll),
        "present": counts.present,
        "enrolled": counts.enrolled,
        "strangers": counts.strangers,
        "out_of_place": counts.out_of_place,
        "barred": counts.barred,
        "absent": counts.absent,
        "random": len(called.random & set(occupancy.macs)),
        "overfull": occupancy.overfull,
        "room": occupancy.room,
        "broken": occupancy.broken,
        "read_at": called.read_at,
        "not_read": bool(counts.not_read),
    }


def present_called_port(called: CalledPort) -> api.RollCallPort:
    return api.RollCallPort.model_construct(**_called_fields(called))


def present_roll_call(called: CalledPort, now: datetime) -> api.RollCall:
    occupancy = called.occupancy
    return api.RollCall(
        **_called_fields(called),
        count=called.counts.present,
        newcomers=len(occupancy.newcomers),
        roll=[str(one) for one in occupancy.rule.roll],
        occupants=[
            api.PortOccupant(
                mac=one.mac,  # type: ignore[arg-type]  # the model turns it into text
                vlan=one.vlan,
                status=one.status.value,
                unexpected_vlan=one.unexpected_vlan,
                random=one.mac in called.random,
            )
            for one in occupancy.occupants
        ],
        absentees=[str(one) for one in occupancy.absent(now)],
        replacements=[
            api.RollReplacement(entry=one.entry.number, absent=str(one.entry), mac=str(one.mac))
            for one in called.replacements
        ],
    )


def present_totals(counts: RollCallCounts) -> api.RollCallTotals:
    return api.RollCallTotals(**{name: getattr(counts, name) for name in api.RollCallTotals.model_fields})


def present_absent(one: AbsentEntry) -> api.AbsentEntry:
    entry = one.entry
    return api.AbsentEntry(
        id=entry.number,
        address=str(entry.mac),
        vlan=entry.vlan,
        level=str(entry.level),
        note=entry.note,
        owner=entry.owner,
        seen_at=one.seen_at,
        seen_switch=one.seen_port[0] if one.seen_port else None,
        seen_port=one.seen_port[1] if one.seen_port else None,
        not_read=one.not_read,
    )


def present_attended(one: Attended) -> api.AttendedDevice:
    return api.AttendedDevice(
        attendance=one.attendance.value,
        device=one.device,
        line=one.line,
        mac=None if one.mac is None else str(one.mac),
        expected_switch=one.expected[0] if one.expected else None,
        expected_port=(one.expected[1] or None) if one.expected else None,
        found=[port_name(port) for port in one.found],
        not_read=one.not_read,
    )


def present_window(view: WindowView) -> api.EnrolmentWindow:
    row = view.row
    return api.EnrolmentWindow(
        id=row.id,
        level=str(row.window.level),
        **_level_fields(row.window.level),
        begins_at=row.window.begins_at,
        ends_at=row.window.ends_at,
        min_present_s=int(row.window.min_present.total_seconds()),
        state=view.state,  # type: ignore[arg-type]  # from the same set
        note=row.note,
        by=row.opened_by,
        at=row.opened_at,
        closed_by=row.closed_by,
        closed_at=row.closed_at,
    )


def present_candidate(view: CandidateView) -> api.Candidate:
    one, about, decision = view.candidate, view.endpoint, view.decision
    random = about is not None and about.origin is AddressOrigin.RANDOM
    return api.Candidate(
        mac=str(one.mac),
        switch=one.port[0],
        port=one.port[1],
        vlans=list(one.vlans),
        since=one.since,
        seen_at=one.seen_at,
        present_s=one.present.total_seconds(),
        share=round(one.share, 4),
        here_now=one.here_now,
        maker=about.maker if about else "",
        label=about.record.label.label if about else "",
        ips=list(about.record.ips) if about else [],
        host_names=list(about.record.names) if about else [],
        kind="phone" if view.phone else "random" if random else "",
        decision=_decision(decision),
        decided_by=decision.by if decision else "",
        decided_at=decision.at if decision else None,
    )


def _decision(decision: Decision | None) -> Any:
    if decision is None:
        return "waiting"
    return "accepted" if decision.accepted else "refused"
