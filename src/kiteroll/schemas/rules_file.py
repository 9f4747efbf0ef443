"""Rules as a TOML file: out in a stable order, in with every problem; comments of an older file stay."""

from datetime import UTC, date, datetime, timedelta
from typing import Annotated, Any

import tomlkit
from pydantic import BeforeValidator, Field, ValidationError, WithJsonSchema
from tomlkit.exceptions import TOMLKitError
from tomlkit.items import AbstractTable, Table

from kiteroll.core.errors import Invalid, InvalidParts
from kiteroll.core.model import bounds
from kiteroll.core.model.ranges import parse_ranges, ranges
from kiteroll.core.policy.levels import EVERYTHING, Level, Reach
from kiteroll.core.policy.port_rules import NO_LIMIT, NoLimit, Rule, Seats
from kiteroll.core.policy.port_rules import OnBreach as Breach
from kiteroll.core.policy.roll import Barred, Enrolled, prefix_text
from kiteroll.core.policy.rule_changes import RuleSet
from kiteroll.duration import parse_duration_s
from kiteroll.model_errors import problems_of
from kiteroll.schemas.base import RequestModel
from kiteroll.schemas.rules import Note, OnBreach, Owner, PortRange, Prefix, SeatLimit
from kiteroll.schemas.types import SwitchName, VlanId

FORMAT = 1
_HEADING = "Rules of ports. `kiteroll rule apply FILE --dry-run` shows what it would change."


def _vlans(value: Any) -> Any:
    """`10, 20-29` as numbers."""
    if isinstance(value, int) and not isinstance(value, bool):
        return [value]
    if not isinstance(value, str):
        return value
    try:
        return parse_ranges(value, bounds.VLAN)
    except Invalid as wrong:
        raise ValueError(str(wrong)) from wrong


def _reopen(value: Any) -> Any:
    return 0 if value == "never" else parse_duration_s(value)


def _instant(value: Any) -> Any:
    if isinstance(value, datetime):
        if value.tzinfo is None:
            raise ValueError("a time needs its zone (2027-03-31T18:00:00Z)")
        return value.astimezone(UTC)
    if isinstance(value, date):
        return datetime(value.year, value.month, value.day, tzinfo=UTC)
    raise ValueError("a date (2027-03-31) or a full time with its zone, without quotation marks")


Vlans = Annotated[list[VlanId], BeforeValidator(_vlans)]
Reopen = Annotated[float, BeforeValidator(_reopen), Field(ge=0, le=30 * 86400)]
Expiry = Annotated[datetime, BeforeValidator(_instant), WithJsonSchema({"type": "string"})]
PortName = Annotated[str, Field(min_length=1, max_length=255)]
Group = Annotated[str, Field(min_length=1, max_length=64)]


class _Entry(RequestModel):
    address: Prefix
    vlan: VlanId | None = None
    note: Note = ""
    owner: Owner = ""
    expires: Expiry | None = None


class _Rule(RequestModel):
    seats: SeatLimit | None = None
    watched: bool | None = None
    vlans: Vlans | None = None
    on_breach: OnBreach | None = None
    reopen_after: Reopen | None = None
    uplinks: bool | None = None
    note: Note = ""
    roll: list[_Entry] = Field(default_factory=list)


class _Switch(_Rule):
    ports: dict[PortRange, _Rule] = Field(default_factory=dict)
    port: dict[PortName, _Rule] = Field(default_factory=dict)


class _Barred(RequestModel):
    address: Prefix
    reason: Note = ""
    expires: Expiry | None = None


class _File(RequestModel):
    format: int = FORMAT
    everything: _Rule = _Rule()
    group: dict[Group, _Rule] = Field(default_factory=dict)
    switch: dict[SwitchName, _Switch] = Field(default_factory=dict)
    barred: list[_Barred] = Field(default_factory=list)


def parse_rules(text: str) -> RuleSet:
    """The rules of a file. Raises InvalidParts: where in it, and what is wrong."""
    source = "the rules file"
    try:
        values = tomlkit.parse(text).unwrap()
    except TOMLKitError as wrong:
        raise InvalidParts(source, [("TOML", str(wrong))]) from wrong
    try:
        file = _File.model_validate(values)
    except ValidationError as wrong:
        raise InvalidParts(source, problems_of(wrong)) from wrong
    if file.format != FORMAT:
        raise InvalidParts(source, [("format", f"{file.format}; this version reads {FORMAT}")])
    rules: dict[Level, Rule] = {}
    problems: list[tuple[str, str]] = []
    for level, given in _levels(file):
        if level in rules:
            problems.append((str(level), "it is in the file twice"))
        if (rule := _rule(level, given, problems)).sets_something:
            rules[level] = rule
    barred = [Barred(one.address, one.reason, one.expires) for one in file.barred]
    twice = {one.prefix for one in barred if sum(other.prefix == one.prefix for other in barred) > 1}
    problems += [("barred", f"{prefix_text(prefix)} is in the file twice") for prefix in sorted(twice)]
    if problems:
        raise InvalidParts(source, problems)
    return RuleSet(rules, tuple(barred))


def _levels(file: _File) -> list[tuple[Level, _Rule]]:
    found = [(EVERYTHING, file.everything)]
    found += [(Level(group=name), rule) for name, rule in file.group.items()]
    for name, switch in file.switch.items():
        found.append((Level(switch=name), switch))
        found += [(Level(switch=name, ports=ports), rule) for ports, rule in switch.ports.items()]
        found += [(Level(switch=name, port=port), rule) for port, rule in switch.port.items()]
    return found


def _rule(level: Level, given: _Rule, problems: list[tuple[str, str]]) -> Rule:
    roll = [Enrolled(one.address, one.vlan, one.expires, level, one.note, one.owner) for one in given.roll]
    known: set[tuple[str, int | None]] = set()
    for entry in roll:
        if (entry.prefix, entry.vlan) in known:
            problems.append((str(level), f"{entry} is on its roll twice"))
        known.add((entry.prefix, entry.vlan))
    seats: Seats | None = NO_LIMIT if given.seats == NoLimit.NO_LIMIT.value else given.seats
    return Rule(
        seats=seats,
        watched=given.watched,
        roll=tuple(roll),
        vlans=None if given.vlans is None else frozenset(given.vlans),
        on_breach=None if given.on_breach is None else Breach(given.on_breach),
        reopen_after=None if given.reopen_after is None else timedelta(seconds=given.reopen_after),
        uplinks=given.uplinks,
        note=given.note,
    )


def rules_text(rules: RuleSet, older: str = "") -> str:
    """The rules as TOML, in a stable order. `older`: a file whose comments and layout are kept where it says
    the same. Raises InvalidParts for an older file that is none."""
    try:
        document = tomlkit.parse(older) if older.strip() else tomlkit.document()
    except TOMLKitError as wrong:
        raise InvalidParts("the older file", [("TOML", str(wrong))]) from wrong
    if not older.strip():
        document.add(tomlkit.comment(_HEADING))
    _merge(document, _plain(rules))
    return tomlkit.dumps(document)


def _plain(rules: RuleSet) -> dict[str, Any]:
    """As nested tables, in the order of the file."""
    file: dict[str, Any] = {"format": FORMAT}
    for level in sorted(rules.rules, key=lambda one: one.order):
        table = _plain_rule(rules.rules[level])
        match level.reach:
            case Reach.EVERYTHING:
                file["everything"] = table
            case Reach.GROUP:
                file.setdefault("group", {})[level.group] = table
            case Reach.SWITCH:
                file.setdefault("switch", {}).setdefault(level.switch, {}).update(table)
            case Reach.RANGE:
                switch = file.setdefault("switch", {}).setdefault(level.switch, {})
                switch.setdefault("ports", {})[level.ports] = table
            case Reach.PORT:
                switch = file.setdefault("switch", {}).setdefault(level.switch, {})
                switch.setdefault("port", {})[level.port] = table
    if "switch" in file:
        file["switch"] = dict(sorted(file["switch"].items()))
    if rules.barred:
        file["barred"] = [
            _given(address=str(one), reason=one.reason, expires=one.expires_at)
            for one in sorted(rules.barred, key=lambda one: one.prefix)
        ]
    return file


def _plain_rule(rule: Rule) -> dict[str, Any]:
    reopen = rule.reopen_after
    table = _given(
        seats=rule.seats.value if isinstance(rule.seats, NoLimit) else rule.seats,
        watched=rule.watched,
        vlans=None if rule.vlans is None else ",".join(ranges(rule.vlans)),
        on_breach=None if rule.on_breach is None else rule.on_breach.value,
        reopen_after=None if reopen is None else (f"{reopen.total_seconds():g}s" if reopen else "never"),
        uplinks=rule.uplinks,
        note=rule.note,
    )
    if rule.vlans is not None:
        table["vlans"] = ",".join(ranges(rule.vlans))
    if rule.roll:
        table["roll"] = [
            _given(
                address=prefix_text(one.prefix),
                vlan=one.vlan,
                note=one.note,
                owner=one.owner,
                expires=one.expires_at,
            )
            for one in sorted(rule.roll, key=lambda one: (one.prefix, one.vlan or 0))
        ]
    return table


def _given(**values: Any) -> dict[str, Any]:
    return {name: value for name, value in values.items() if value is not None and value != ""}


def _merge(table: Any, wanted: dict[str, Any]) -> None:
    """Make a table hold what is wanted, and leave alone what of it says the same."""
    for key in [key for key in table if key not in wanted]:
        del table[key]
    for key, value in wanted.items():
        known = table.get(key)
        if isinstance(value, dict) and isinstance(known, AbstractTable | dict) and known is not None:
            _merge(known, value)
        elif known is None or _unwrapped(known) != value:
            table[key] = _item(value)


def _unwrapped(item: Any) -> Any:
    return item.unwrap() if hasattr(item, "unwrap") else item


def _item(value: Any) -> Any:
    if isinstance(value, dict):
        made: Table = tomlkit.table(
            is_super_table=not any(not isinstance(one, dict) for one in value.values())
        )
        for key, one in value.items():
            made[key] = _item(one)
        return made
    if isinstance(value, list):
        rows = tomlkit.aot()
        for one in value:
            rows.append(_item(one))
        return rows
    return value
