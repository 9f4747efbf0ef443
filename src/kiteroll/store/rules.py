"""Port rules as they are kept: what is set at each level, who is enrolled, who is barred."""

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import Connection, Select, Table, and_, delete, func, insert, or_, select, tuple_
from sqlalchemy.dialects.mysql import insert as upsert

from kiteroll.core.policy.levels import Level
from kiteroll.core.policy.port_rules import NO_LIMIT, NoLimit, OnBreach, Rule, Seats
from kiteroll.core.policy.roll import Barred, BarredList, Enrolled
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.policy.rule_changes import Difference, RuleSet
from kiteroll.store.bulk import chunks
from kiteroll.store.rule_log import log_differences
from kiteroll.store.tables import barred_address, enrolled, port_rule, switch

_NO_LIMIT = -1
_STRUCK_OFF_AT_ONCE = 500
_FEW = 50
"""Levels that are looked up one by one; of more, all there are is read."""


@dataclass(frozen=True, slots=True)
class Author:
    """Who changes rules, and why."""

    by: str
    reason: str = ""
    via: str = "hand"
    """What brought it: by hand, a list, a file, a window."""


@dataclass(frozen=True, slots=True)
class EnrolledRow:
    entry: Enrolled
    by: str
    at: datetime
    via: str


@dataclass(frozen=True, slots=True)
class RuleRow:
    level: Level
    rule: Rule
    roll: tuple[EnrolledRow, ...]


@dataclass(frozen=True, slots=True)
class BarredRow:
    entry: Barred
    by: str
    at: datetime


def all_rules(connection: Connection) -> list[RuleRow]:
    """Wide levels first."""
    return _rules_of(connection, select(port_rule), select(enrolled))


def rule_set(connection: Connection, levels: Collection[Level] | None = None) -> RuleSet:
    """All that is set, as values. With a few `levels`: what is set at these and elsewhere on their switches,
    and all that is barred; beside tens of thousands of entries, a change of one need not read the others.
    """
    if levels is None or len(levels) > _FEW:
        return as_set(all_rules(connection), all_barred(connection))
    switches = {level.switch for level in levels} - {""}
    near = select(port_rule).where(
        or_(*(at_level(port_rule, level) for level in levels), port_rule.c.switch_name.in_(switches))
    )
    rolls = select(enrolled).where(enrolled.c.rule_id.in_(near.with_only_columns(port_rule.c.id)))
    return as_set(_rules_of(connection, near, rolls), all_barred(connection))


def level_of_entry(connection: Connection, number: int) -> Level | None:
    """Of an entry of a roll; None: there is none."""
    query = select(port_rule).join(enrolled, enrolled.c.rule_id == port_rule.c.id)
    row = connection.execute(query.where(enrolled.c.id == number)).one_or_none()
    return None if row is None else _level(row)


def _rules_of(connection: Connection, of_levels: Select[Any], of_rolls: Select[Any]) -> list[RuleRow]:
    rows = {row.id: row for row in connection.execute(of_levels)}
    levels = {number: _level(row) for number, row in rows.items()}
    rolls: dict[int, list[EnrolledRow]] = defaultdict(list)
    for row in connection.execute(of_rolls.order_by(enrolled.c.prefix, enrolled.c.vlan)):
        entry = Enrolled(
            row.prefix, row.vlan or None, row.expires_at, levels[row.rule_id], row.note, row.owner, row.id
        )
        rolls[row.rule_id].append(EnrolledRow(entry, row.enrolled_by, row.enrolled_at, row.via))
    found = [
        RuleRow(levels[number], _rule(row, [one.entry for one in rolls[number]]), tuple(rolls[number]))
        for number, row in rows.items()
    ]
    return sorted(found, key=lambda one: one.level.order)


def all_barred(connection: Connection) -> list[BarredRow]:
    rows = connection.execute(select(barred_address).order_by(barred_address.c.prefix))
    return [
        BarredRow(Barred(row.prefix, row.reason, row.expires_at), row.barred_by, row.barred_at)
        for row in rows
    ]


def as_set(rows: Sequence[RuleRow], barred: Sequence[BarredRow]) -> RuleSet:
    return RuleSet({row.level: row.rule for row in rows}, tuple(row.entry for row in barred))


def fingerprint(connection: Connection) -> str:
    """Of all that is set, made by the server: rows are not sent for it."""
    parts: list[Any] = []
    for table in (port_rule, enrolled, barred_address):
        row = func.concat_ws("|", *(func.coalesce(column, "-") for column in table.c))
        number = func.conv(func.left(func.md5(row), 15), 16, 10)
        parts += connection.execute(select(func.count(), func.bit_xor(number)).select_from(table)).one()
    return "-".join(map(str, parts))


def rule_book(connection: Connection) -> RuleBook:
    """The rules in force, to go by."""
    return book_of(rule_set(connection), groups_of_switches(connection))


def groups_of_switches(connection: Connection) -> dict[str, tuple[str, ...]]:
    query = select(switch.c.name, switch.c.in_groups).where(switch.c.removed_at.is_(None))
    return {name: tuple(named) for name, named in connection.execute(query)}


def book_of(rules: RuleSet, groups: Mapping[str, Sequence[str]]) -> RuleBook:
    """These rules, with the groups that switches are in."""
    return RuleBook(rules=rules.rules, in_groups=groups, barred=BarredList(rules.barred))


def save_differences(
    connection: Connection, after: RuleSet, found: Sequence[Difference], author: Author, at: datetime
) -> None:
    """Make the records what `after` says, where it differs, and log what was changed."""
    set_levels = {one.level for one in found if one.what not in _OF_ENTRIES}
    levels = {one.level for one in found if one.what not in _OF_BARRED}
    ids = _rule_ids(connection, levels)
    for level in set_levels:
        values = _columns(after.rules.get(level, Rule()))
        connection.execute(port_rule.update().where(port_rule.c.id == ids[level]).values(**values))
    new = [_enrolled(ids[one.level], one.after, author, at) for one in found if one.what == "enrolled"]
    if new:
        statement = upsert(enrolled)
        again = ("note", "owner", "expires_at", "enrolled_by", "enrolled_at", "via")
        connection.execute(
            statement.on_duplicate_key_update({name: statement.inserted[name] for name in again}), new
        )
    _strike_off(connection, [(ids[one.level], one.before) for one in found if one.what == "struck off"])
    for one in found:
        match one.what:
            case "barred":
                _bar(connection, one.after, author, at)
            case "bar lifted":
                connection.execute(delete(barred_address).where(barred_address.c.prefix == one.before.prefix))
    gone = [number for level, number in ids.items() if level not in after.rules]
    if gone:
        connection.execute(delete(port_rule).where(port_rule.c.id.in_(gone)))
    log_differences(connection, found, author.by, author.reason, author.via, at)


_OF_BARRED = ("barred", "bar lifted")
_OF_ENTRIES = ("enrolled", "struck off", *_OF_BARRED)


def _enrolled(rule_id: int, entry: Enrolled, author: Author, at: datetime) -> dict[str, Any]:
    return {
        "rule_id": rule_id,
        "prefix": entry.prefix,
        "vlan": entry.vlan or 0,
        "note": entry.note,
        "owner": entry.owner,
        "expires_at": entry.expires_at,
        "enrolled_by": author.by,
        "enrolled_at": at,
        "via": author.via,
    }


def _strike_off(connection: Connection, entries: Sequence[tuple[int, Enrolled]]) -> None:
    """`entries`: each with the id of its level."""
    columns = tuple_(enrolled.c.rule_id, enrolled.c.prefix, enrolled.c.vlan)
    for some in chunks(entries, _STRUCK_OFF_AT_ONCE):
        rows = [(rule_id, one.prefix, one.vlan or 0) for rule_id, one in some]
        connection.execute(delete(enrolled).where(columns.in_(rows)))


def _bar(connection: Connection, entry: Barred, author: Author, at: datetime) -> None:
    statement = upsert(barred_address).values(
        prefix=entry.prefix,
        reason=entry.reason,
        expires_at=entry.expires_at,
        barred_by=author.by,
        barred_at=at,
    )
    again = ("reason", "expires_at", "barred_by", "barred_at")
    connection.execute(statement.on_duplicate_key_update({name: statement.inserted[name] for name in again}))


def level_columns(level: Level) -> dict[str, str]:
    """A level in the four columns that tables keep it in."""
    return {
        "group_name": level.group,
        "switch_name": level.switch,
        "port_name": level.port,
        "port_range": level.ports,
    }


def at_level(table: Table, level: Level) -> Any:
    """The condition that a row is of this level."""
    return and_(*(table.c[name] == value for name, value in level_columns(level).items()))


def _rule_ids(connection: Connection, levels: set[Level]) -> dict[Level, int]:
    """Of the rows of these levels, which are made where there are none."""
    if not levels:
        return {}
    rows = [level_columns(level) for level in levels]
    connection.execute(insert(port_rule).prefix_with("IGNORE"), rows)
    query = select(port_rule)
    if len(levels) <= _FEW:
        query = query.where(or_(*(at_level(port_rule, level) for level in levels)))
    found = {_level(row): row.id for row in connection.execute(query)}
    return {level: found[level] for level in levels}


def _level(row: Any) -> Level:
    return Level(row.group_name, row.switch_name, row.port_name, row.port_range)


def _columns(rule: Rule) -> dict[str, Any]:
    reopen = rule.reopen_after
    return {
        "seats": _NO_LIMIT if isinstance(rule.seats, NoLimit) else rule.seats,
        "watched": rule.watched,
        "vlans": None if rule.vlans is None else sorted(rule.vlans),
        "on_breach": None if rule.on_breach is None else rule.on_breach.value,
        "reopen_after_s": None if reopen is None else int(reopen.total_seconds()),
        "uplinks": rule.uplinks,
        "note": rule.note,
    }


def _rule(row: Any, roll: Sequence[Enrolled]) -> Rule:
    seats: Seats | None = NO_LIMIT if row.seats == _NO_LIMIT else row.seats
    return Rule(
        seats=seats,
        watched=row.watched,
        roll=tuple(roll),
        vlans=None if row.vlans is None else frozenset(row.vlans),
        on_breach=None if row.on_breach is None else OnBreach(row.on_breach),
        reopen_after=None if row.reopen_after_s is None else timedelta(seconds=row.reopen_after_s),
        uplinks=row.uplinks,
        note=row.note,
    )


def rename_rules(connection: Connection, switch_name: str, name: str) -> None:
    """Rules of a switch follow it to its new name."""
    connection.execute(
        port_rule.update().where(port_rule.c.switch_name == switch_name).values(switch_name=name)
    )


def drop_rules(connection: Connection, switch_name: str) -> None:
    """The rules of a switch that leaves the inventory go with it."""
    ids = select(port_rule.c.id).where(port_rule.c.switch_name == switch_name)
    connection.execute(delete(enrolled).where(enrolled.c.rule_id.in_(ids)))
    connection.execute(delete(port_rule).where(port_rule.c.switch_name == switch_name))
