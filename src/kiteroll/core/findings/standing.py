"""Conditions that are so or not: silent ports, full tables, short ageing, switches that are not read."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.changes import Restarted
from kiteroll.core.findings.model import Evidence, Kind, Severity, Sign, Subject, Thresholds


@dataclass(frozen=True, slots=True, kw_only=True)
class SwitchFacts:
    name: str
    health: str
    health_since: datetime | None
    error: str
    interval: timedelta
    ageing: timedelta | None
    present: int
    table_size: int | None
    discards_rose_at: datetime | None
    late_since: datetime | None
    """Since when its data is older than three intervals; None when it is not."""


@dataclass(frozen=True, slots=True, kw_only=True)
class QuietPort:
    """A port that is up and has learned nothing."""

    switch: str
    port: str
    alias: str
    up_since: datetime
    last_seen_at: datetime | None
    """When anybody was heard there last; None: never."""


def standing(
    switches: Sequence[SwitchFacts], ports: Sequence[QuietPort], limits: Thresholds, now: datetime
) -> Iterator[Sign]:
    """What is so now; each sign is as of `now`."""
    for one in switches:
        yield from _unread(one, now)
        if one.health == "off":
            continue
        yield from _filling(one, limits, now)
        yield from _ageing(one, now)
    for port in ports:
        since = max(port.up_since, port.last_seen_at or port.up_since)
        if now - since >= limits.silent_after:
            yield _silent(port, since, now)


def _unread(one: SwitchFacts, now: datetime) -> Iterator[Sign]:
    failing = one.health in ("silent", "refused", "failed")
    since = one.health_since if failing else one.late_since
    if since is None or not (failing or one.late_since):
        return
    how = {"silent": "does not answer", "refused": "refuses to answer"}.get(one.health, "is not read")
    yield Sign(
        kind=Kind.UNREAD,
        severity=Severity.WARNING,
        subject=Subject(switch=one.name),
        title=f"{one.name} {how}",
        cause=one.error or "its readings fail or are incomplete",
        evidence=(Evidence(since, one.error or f"{one.name} {how} since then"),),
        first_at=since,
        last_at=now,
    )


def _filling(one: SwitchFacts, limits: Thresholds, now: datetime) -> Iterator[Sign]:
    full = one.table_size is not None and one.present >= limits.table_share * one.table_size
    rises = one.discards_rose_at is not None and now - one.discards_rose_at <= 3 * one.interval
    if not full and not rises:
        return
    told = f"{one.present} of {one.table_size} addresses" if one.table_size else f"{one.present} addresses"
    evidence = [Evidence(now, told)] if full else []
    if rises and one.discards_rose_at is not None:
        evidence.append(Evidence(one.discards_rose_at, "addresses could not be learned for want of room"))
    yield Sign(
        kind=Kind.FILLING,
        severity=Severity.SERIOUS if rises else Severity.WARNING,
        subject=Subject(switch=one.name),
        title=f"the MAC address table of {one.name} is {'full' if rises else 'nearly full'}: {told}",
        cause="more endpoints than the table holds, a loop, or an attack on the table",
        evidence=tuple(evidence[:1]),
        first_at=now,
        last_at=now,
    )


def _ageing(one: SwitchFacts, now: datetime) -> Iterator[Sign]:
    if one.ageing is None or one.interval <= one.ageing:
        return
    yield Sign(
        kind=Kind.AGEING,
        severity=Severity.WARNING,
        subject=Subject(switch=one.name),
        title=f"{one.name} forgets addresses sooner than it is read",
        cause=f"it is read every {one.interval.total_seconds():g} s, its ageing time is "
        f"{one.ageing.total_seconds():g} s",
        first_at=now,
        last_at=now,
    )


def _silent(port: QuietPort, since: datetime, now: datetime) -> Sign:
    label = f" ({port.alias})" if port.alias else ""
    said = "somebody was heard there last" if port.last_seen_at else "its link went up, and nobody was heard"
    return Sign(
        kind=Kind.SILENT_PORT,
        severity=Severity.NOTE,
        subject=Subject(switch=port.switch, port=port.port),
        title=f"{port.switch} port {port.port}{label} is up and nobody is heard there",
        cause="a device that hangs or sleeps, a wrong VLAN, or a cable to something that does not talk",
        evidence=(Evidence(since, said),),
        first_at=since,
        last_at=now,
        places=frozenset({(port.switch, port.port)}),
    )


def restarted(change: Restarted) -> Sign:
    return Sign(
        kind=Kind.RESTARTED,
        severity=Severity.NOTE,
        subject=Subject(switch=change.switch),
        title=f"{change.switch} restarted",
        cause="its uptime began anew: power, a crash, or somebody restarted it",
        evidence=(Evidence(change.booted_at, "it started, with an empty table"),),
        first_at=change.booted_at,
        last_at=change.at,
    )
