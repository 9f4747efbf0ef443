"""Port rules: seats, watching, and who is enrolled."""

from collections import defaultdict
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, delete, select
from sqlalchemy.dialects.mysql import insert

from kiteroll.core.errors import NotFound
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.policy.port_rules import Enrolled, Level, Rule, RuleBook
from kiteroll.store.tables import enrolled, port_rule, switch


@dataclass(frozen=True, slots=True)
class EnrolledRow:
    id: int
    prefix: str
    vlan: int | None
    note: str
    by: str
    at: datetime


@dataclass(frozen=True, slots=True)
class RuleRow:
    level: Level
    seats: int | None
    watched: bool | None
    roll: tuple[EnrolledRow, ...]


def all_rules(connection: Connection) -> list[RuleRow]:
    rolls: dict[int, list[EnrolledRow]] = defaultdict(list)
    for row in connection.execute(select(enrolled).order_by(enrolled.c.prefix, enrolled.c.vlan)):
        entry = EnrolledRow(row.id, row.prefix, row.vlan or None, row.note, row.enrolled_by, row.enrolled_at)
        rolls[row.rule_id].append(entry)
    order = (port_rule.c.switch_name, port_rule.c.port_name, port_rule.c.group_name)
    return [
        RuleRow(
            Level(row.group_name, row.switch_name, row.port_name),
            row.seats,
            row.watched,
            tuple(rolls[row.id]),
        )
        for row in connection.execute(select(port_rule).order_by(*order))
    ]


def rule_book(connection: Connection) -> RuleBook:
    """The same for the rules to go by."""
    groups: dict[str, Rule] = {}
    switches: dict[str, Rule] = {}
    ports: dict[PortRef, Rule] = {}
    for row in all_rules(connection):
        rule = Rule(row.seats, row.watched, tuple(Enrolled(one.prefix, one.vlan) for one in row.roll))
        if row.level.group:
            groups[row.level.group] = rule
        elif row.level.port:
            ports[row.level.switch, row.level.port] = rule
        else:
            switches[row.level.switch] = rule
    query = select(switch.c.name, switch.c.in_groups).where(switch.c.removed_at.is_(None))
    return RuleBook(
        groups, switches, ports, {name: tuple(named) for name, named in connection.execute(query)}
    )


def set_rule(connection: Connection, level: Level, seats: int | None, watched: bool | None) -> None:
    """None leaves it to the level above. A level of which nothing is said any more is dropped."""
    rule_id = _rule_id(connection, level)
    connection.execute(
        port_rule.update().where(port_rule.c.id == rule_id).values(seats=seats, watched=watched)
    )
    _drop_if_silent(connection, rule_id)


def enrol(connection: Connection, level: Level, entry: Enrolled, note: str, by: str, at: datetime) -> None:
    """Put an address or a prefix on the roll of a level; one that is there gets the new note."""
    statement = insert(enrolled).values(
        rule_id=_rule_id(connection, level),
        prefix=entry.prefix,
        vlan=entry.vlan or 0,
        note=note,
        enrolled_by=by,
        enrolled_at=at,
    )
    again = {name: statement.inserted[name] for name in ("note", "enrolled_by", "enrolled_at")}
    connection.execute(statement.on_duplicate_key_update(again))


def strike_off(connection: Connection, number: int) -> None:
    """Take an entry off its roll. Raises NotFound."""
    rule_id = connection.execute(select(enrolled.c.rule_id).where(enrolled.c.id == number)).scalar()
    if rule_id is None:
        raise NotFound("entry of a roll", str(number), "`kiteroll rule list` shows the rolls")
    connection.execute(delete(enrolled).where(enrolled.c.id == number))
    _drop_if_silent(connection, rule_id)


def _drop_if_silent(connection: Connection, rule_id: int) -> None:
    """A level of which nothing is said any more needs no row."""
    has_roll = select(enrolled.c.id).where(enrolled.c.rule_id == rule_id).exists()
    nothing = (port_rule.c.seats.is_(None), port_rule.c.watched.is_(None), ~has_roll)
    connection.execute(delete(port_rule).where(port_rule.c.id == rule_id, *nothing))


def _rule_id(connection: Connection, level: Level) -> int:
    """Of the level's row, which is made where there is none."""
    key = {"group_name": level.group, "switch_name": level.switch, "port_name": level.port}
    connection.execute(insert(port_rule).values(**key).prefix_with("IGNORE"))
    query = select(port_rule.c.id).where(*(port_rule.c[name] == value for name, value in key.items()))
    return int(connection.execute(query).scalar_one())


def rename_rules(connection: Connection, switch_name: str, name: str) -> None:
    """Rules of a switch follow it to its new name."""
    connection.execute(
        port_rule.update().where(port_rule.c.switch_name == switch_name).values(switch_name=name)
    )


def drop_rules(connection: Connection, switch_name: str) -> None:
    """What was said of a switch that leaves the inventory goes with it."""
    ids = select(port_rule.c.id).where(port_rule.c.switch_name == switch_name)
    connection.execute(delete(enrolled).where(enrolled.c.rule_id.in_(ids)))
    connection.execute(delete(port_rule).where(port_rule.c.switch_name == switch_name))
