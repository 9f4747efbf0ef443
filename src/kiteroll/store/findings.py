"""Findings: one row a kind and subject."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from functools import partial
from typing import Any

from sqlalchemy import (
    ColumnElement,
    Connection,
    Integer,
    Row,
    Select,
    and_,
    func,
    or_,
    select,
    type_coerce,
    update,
)
from sqlalchemy.dialects.mysql import insert

from kiteroll.core.errors import NotFound
from kiteroll.core.findings.finding import Cause, Finding, FindingKind, Severity, State, Subject
from kiteroll.core.findings.renaming import renamed_finding
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.paging import PageAsk
from kiteroll.store.bulk import chunks, save_rows
from kiteroll.store.finding_codec import decode_details, decode_evidence, encode_details, encode_evidence
from kiteroll.store.paging import Key, Page, fetch_page
from kiteroll.store.predicates import covers, escape_like, one_of
from kiteroll.store.tables import (
    finding,
    finding_look,
    finding_opening,
    port_action,
    port_closure,
    port_proposal,
)


@dataclass(frozen=True, slots=True)
class FindingRow:
    id: int
    finding: Finding


@dataclass(frozen=True, slots=True, kw_only=True)
class FindingFilters:
    """None and empty leave a criterion out."""

    states: Sequence[str] = ()
    kinds: Sequence[str] = ()
    severities: Sequence[str] = ()
    mac: MacAddress | None = None
    switch: str | None = None
    part_of: str | None = None
    """Key of the finding they are part of; empty: those that are part of none."""
    since: datetime | None = None
    """With evidence since then."""
    at: datetime | None = None
    """Those that were open at this instant, as they were then; `states` are those of now."""


def save_findings(
    connection: Connection, findings: Sequence[Finding], looked_at: datetime | None = None
) -> None:
    """`looked_at`: what goes on, of these and of those before, does so as of then."""
    latest = {one.key: one for one in findings}
    for part in chunks(latest.values()):
        keys = [one.key for one in part]
        ids = {key: number for key, number in connection.execute(_IDS.where(finding.c.key.in_(keys)))}
        values = {one.key: _values(one) for one in part}
        rows = [{**row, "id": ids[key]} if key in ids else row for key, row in values.items()]
        save_rows(connection, finding, rows)
        _record_openings(connection, keys)
    if looked_at is not None:
        look = insert(finding_look).values(id=_THE_ONE, at=looked_at)
        connection.execute(look.on_duplicate_key_update(at=looked_at))


_THE_ONE = 1
_IDS = select(finding.c.key, finding.c.id)
_LOOKED_AT = select(finding_look.c.at).where(finding_look.c.id == _THE_ONE).scalar_subquery()
_FINDINGS = select(finding, _LOOKED_AT.label("looked_at"))


def _record_openings(connection: Connection, keys: Sequence[str]) -> None:
    ours = finding.c.key.in_(keys)
    # One that cleared and opened again between two times it was stored.
    before = (finding_opening.c.cleared_at.is_(None), finding_opening.c.opened_at < finding.c.opened_at)
    connection.execute(
        update(finding_opening)
        .where(finding_opening.c.finding_id == finding.c.id, ours, *before)
        .values(cleared_at=finding.c.opened_at)
    )
    names = ("finding_id", "opened_at", "cleared_at")
    latest = select(finding.c.id, finding.c.opened_at, finding.c.cleared_at).where(ours)
    statement = insert(finding_opening).from_select(names, latest)
    connection.execute(statement.on_duplicate_key_update(cleared_at=statement.inserted.cleared_at))


_NAMING = frozenset({"key", "switch_name", "details", "ports"})
"""Columns that name a switch, beside those that hold keys of other findings."""


def rename_findings(connection: Connection, at: datetime, before: str, after: str) -> None:
    """What was found of a switch, or at its ports, goes on under its new name. Where a switch that had that
    name once has the same, it stays under the old name, and is over."""
    about = connection.execute(select(finding.c.id).where(_about(before))).scalars().all()
    renamed: dict[str, str] = {}
    cleared: list[str] = []
    for ids in chunks(about):
        rows = [_row(row) for row in connection.execute(_FINDINGS.where(one_of(finding.c.id, ids)))]
        as_renamed = [renamed_finding(row.finding, before, after) for row in rows]
        there = by_keys(connection, [one.key for one in as_renamed])
        for row, one in zip(rows, as_renamed, strict=True):
            key = row.finding.key
            taken = one.key != key and one.key in there
            if taken and row.finding.state is State.CLEARED:
                continue
            if taken:
                values = {"state": State.CLEARED.value, "cleared_at": at}
                cleared.append(key)
            else:
                values = {name: value for name, value in _values(one).items() if name in _NAMING}
                renamed[key] = one.key
            connection.execute(update(finding).where(finding.c.id == row.id).values(values))
    _rename_keys(connection, renamed)
    _record_openings(connection, cleared)


def _rename_keys(connection: Connection, renamed: Mapping[str, str]) -> None:
    """Wherever findings are referred to by their keys. `renamed`: old keys to new ones."""
    for named in (finding.c.part_of, port_action.c.breach, port_closure.c.breach, port_proposal.c.breach):
        for key in connection.execute(select(named).distinct()).scalars().all():
            if renamed.get(key, key) != key:
                other = update(named.table).where(named == key)
                connection.execute(other.values({named.name: renamed[key]}))


def unfinished_findings(
    connection: Connection, also: Collection[FindingKind], since: datetime
) -> list[Finding]:
    """Those that are not cleared, and of kinds `also` those with evidence since then."""
    kinds = [kind.value for kind in also]
    lately = and_(finding.c.kind.in_(kinds), finding.c.last_at >= since)
    rows = connection.execute(_FINDINGS.where(or_(finding.c.state != State.CLEARED.value, lately)))
    return [_row(row).finding for row in rows]


def by_keys(connection: Connection, keys: Sequence[str], state: State | None = None) -> dict[str, FindingRow]:
    """Those there are, and with `state` those in it."""
    query = _FINDINGS if state is None else _FINDINGS.where(finding.c.state == state.value)
    return {
        row.key: _row(row)
        for part in chunks(keys)
        for row in connection.execute(query.where(finding.c.key.in_(part)))
    }


def get_finding(connection: Connection, number: int) -> FindingRow:
    """Raises NotFound."""
    (row,) = get_findings(connection, [number])
    return row


def get_findings(connection: Connection, numbers: Collection[int]) -> list[FindingRow]:
    """In the order they are asked for, each once. Raises NotFound when any is missing."""
    found = {
        row.id: _row(row)
        for part in chunks(numbers)
        for row in connection.execute(_FINDINGS.where(one_of(finding.c.id, part)))
    }
    for number in numbers:
        if number not in found:
            raise NotFound("finding", str(number), "`kiteroll finding list` shows them")
    return [found[number] for number in dict.fromkeys(numbers)]


def findings_page(connection: Connection, filters: FindingFilters, ask: PageAsk) -> Page[FindingRow]:
    """What goes on first, then the latest evidence."""
    query, opened_at, make = _FINDINGS, finding.c.opened_at, _row
    if filters.at is not None:
        query, opened_at = _open_at(filters.at), finding_opening.c.opened_at
        make = partial(_row_at, filters.at)
    for column, values in (
        (finding.c.state, filters.states),
        (finding.c.kind, filters.kinds),
        (finding.c.severity, filters.severities),
    ):
        if values:
            query = query.where(column.in_(values))
    if filters.mac is not None:
        query = query.where(finding.c.mac == filters.mac)
    if filters.switch is not None:
        query = query.where(_about(filters.switch))
    if filters.part_of is not None:
        query = query.where(finding.c.part_of == filters.part_of)
    if filters.since is not None:
        goes_on = and_(finding.c.goes_on, filters.since <= _LOOKED_AT)
        query = query.where(or_(finding.c.last_at >= filters.since, goes_on))
    number = Key(finding.c.id)
    latest = (Key(type_coerce(finding.c.goes_on, Integer)), Key(finding.c.last_at), number)
    keys = tuple(replace(key, descending=True) for key in latest)
    sorts = {
        "last_at": latest,
        "opened_at": (Key(opened_at), number),
        "kind": (Key(finding.c.kind), number),
        # The worst first, and of those the latest: what cannot wait stands on the first page.
        "severity": (Key(_WORST_FIRST), *keys),
    }
    return fetch_page(connection, query, keys, make, ask, sorts)


_WORST_FIRST = func.field(finding.c.severity, *(one.value for one in reversed(Severity)), type_=Integer)


def _about(switch: str) -> ColumnElement[bool]:
    """Those about a switch, or about a port of it."""
    place = func.json_search(finding.c.ports, "one", escape_like(switch), None, "$[*][0]")
    return or_(finding.c.switch_name == switch, place.is_not(None))


def _open_at(at: datetime) -> Select[Any]:
    """Findings that were open at an instant, with when they opened that time and how often they did since."""
    since = finding_opening.alias()
    later = select(func.count()).where(since.c.finding_id == finding.c.id, since.c.opened_at > at)
    opened = finding_opening.c.opened_at.label("opened_then")
    return (
        _FINDINGS.add_columns(opened, later.scalar_subquery().label("later"))
        .join(finding_opening, finding_opening.c.finding_id == finding.c.id)
        .where(covers(finding_opening.c.opened_at, finding_opening.c.cleared_at, at))
    )


def _row_at(at: datetime, row: Row[Any]) -> FindingRow:
    found = _row(row)
    return replace(found, finding=found.finding.as_of(at, row.opened_then, row.later))


def counts_of_parts(connection: Connection, keys: Sequence[str]) -> dict[str, int]:
    """How many findings are part of each of these."""
    if not keys:
        return {}
    query = select(finding.c.part_of, func.count()).where(finding.c.part_of.in_(keys))
    return {key: count for key, count in connection.execute(query.group_by(finding.c.part_of))}


@dataclass(frozen=True, slots=True)
class FindingWithParts:
    """A finding, how many it explains, and the one that explains it."""

    row: FindingRow
    parts: int
    by: FindingRow | None
    root: FindingRow | None
    """The one behind all: a flap is explained by a doubled address, and that by a loop."""


def with_parts(connection: Connection, rows: Sequence[FindingRow]) -> list[FindingWithParts]:
    parts = counts_of_parts(connection, [row.finding.key for row in rows])
    by = by_keys(connection, [row.finding.part_of for row in rows if row.finding.part_of])
    further = by_keys(connection, [one.finding.part_of for one in by.values() if one.finding.part_of])
    found = []
    for row in rows:
        direct = by.get(row.finding.part_of)
        root = further.get(direct.finding.part_of, direct) if direct else None
        found.append(FindingWithParts(row, parts.get(row.finding.key, 0), direct, root))
    return found


def findings_with_parts(
    connection: Connection, filters: FindingFilters, ask: PageAsk
) -> Page[FindingWithParts]:
    """A page of findings with what explains what, in one transaction."""
    page = findings_page(connection, filters, ask)
    return Page(tuple(with_parts(connection, page.items)), page.next)


def _values(one: Finding) -> dict[str, Any]:
    subject = one.subject
    return {
        "key": one.key,
        "kind": one.kind.value,
        "severity": one.severity.value,
        "state": one.state.value,
        "mac": subject.mac,
        "switch_name": subject.switch,
        "port_name": subject.port,
        "ip": subject.ip,
        "cause": one.cause.value,
        "details": encode_details(one.details),
        "evidence": encode_evidence(one.evidence),
        "ports": sorted(map(list, one.ports)),
        "count": one.count,
        "times_opened": one.times_opened,
        "first_at": one.first_at,
        "opened_at": one.opened_at,
        "last_at": one.last_at,
        "goes_on": one.goes_on,
        "cleared_at": one.cleared_at,
        "cleared_by": one.cleared_by,
        "acknowledged_by": one.acknowledged_by,
        "note": one.note,
        "acknowledged_until": one.acknowledged_until,
        "part_of": one.part_of,
        "area": subject.area,
    }


def _row(row: Row[Any]) -> FindingRow:
    return FindingRow(
        row.id,
        Finding(
            kind=FindingKind(row.kind),
            subject=Subject(
                mac=row.mac, switch=row.switch_name, port=row.port_name, ip=row.ip, area=row.area
            ),
            severity=Severity(row.severity),
            cause=Cause(row.cause),
            details=decode_details(row.details),
            state=State(row.state),
            evidence=decode_evidence(row.evidence),
            count=row._mapping["count"],
            times_opened=row.times_opened,
            first_at=row.first_at,
            opened_at=row.opened_at,
            last_at=max(row.last_at, row.looked_at or row.last_at) if row.goes_on else row.last_at,
            goes_on=row.goes_on,
            cleared_at=row.cleared_at,
            cleared_by=row.cleared_by,
            acknowledged_by=row.acknowledged_by,
            note=row.note,
            acknowledged_until=row.acknowledged_until,
            ports=frozenset((switch, port) for switch, port in row.ports),
            part_of=row.part_of,
        ),
    )
