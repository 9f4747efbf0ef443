"""Rules of ports: setting, enrolling and barring. What breaks them is found by the finding engine."""

import threading
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, replace

from sqlalchemy import Connection

from kiteroll.app.events import EventBus, RulesChanged
from kiteroll.app.kept_rules import KeptRules
from kiteroll.clock import Clock
from kiteroll.core.errors import Conflict, InvalidParts, NotFound
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.nearest import did_you_mean, no_such, ports_hint
from kiteroll.core.model.paging import PageAsk
from kiteroll.core.policy.levels import Level, Reach
from kiteroll.core.policy.roll import Barred, Enrolled, prefix_text
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.policy.rule_changes import (
    Difference,
    LevelChange,
    RuleSet,
    cautions,
    changed,
    contradictions,
    differences,
    enrolled_and_barred,
    with_entries,
    without_entries,
)
from kiteroll.store import inventory, ports, rule_log, rules
from kiteroll.store.database import Database
from kiteroll.store.paging import Page
from kiteroll.store.rule_log import RuleEventRow
from kiteroll.store.rules import Author, BarredRow, RuleRow

__all__ = ["Author", "BarredRow", "PortRules", "RuleEventRow", "RuleOutcome", "RuleRow"]

Edit = Callable[[RuleSet], RuleSet]


@dataclass(frozen=True, slots=True)
class RuleOutcome:
    """What a change of rules came to, or would."""

    applied: bool
    differences: tuple[Difference, ...]
    cautions: tuple[str, ...]
    """What is allowed, and probably not meant, of the levels that were changed."""


class PortRules:
    def __init__(self, database: Database, kept: KeptRules, clock: Clock, bus: EventBus) -> None:
        self._database = database
        self._kept = kept
        self._clock = clock
        self._bus = bus
        self._lock = threading.Lock()
        """One change after the other: each is checked against all that is set."""

    def fingerprint(self) -> str:
        """Another one wherever the rules are others."""
        return self._kept.fingerprint()

    def all(self) -> Sequence[RuleRow]:
        """Wide levels first."""
        return self._kept.rows()

    def barred(self) -> list[BarredRow]:
        return self._database.run(rules.all_barred)

    def rule_set(self) -> RuleSet:
        return self._kept.rule_set()

    def book(self, rules_then: RuleSet | None = None) -> RuleBook:
        """The rules in force, or others, to go by."""
        if rules_then is None:
            return self._kept.book()
        return rules.book_of(rules_then, self._database.run(rules.groups_of_switches))

    def about(self, mac: MacAddress) -> tuple[list[Enrolled], Barred | None]:
        """Entries that authorise an address somewhere, and the one that bars it."""
        book, now = self.book(), self._clock.now()
        return book.covering(mac, now), book.barred.entry(mac, now)

    def events(
        self, switch: str | None, port: str | None, prefix: str | None, ask: PageAsk
    ) -> Page[RuleEventRow]:
        """Who changed what, latest first."""
        return self._database.run(rule_log.events_page, ask, switch=switch, port=port, prefix=prefix)

    def edit(
        self, make: Edit, author: Author, *, dry_run: bool = False, levels: Collection[Level] | None = None
    ) -> RuleOutcome:
        """Make one change of the rules, all of it or nothing. `levels`: those it is about, where no others
        are; then `make` is given these and those of their switches. Raises InvalidParts for what contradicts,
        and what `make` raises."""
        with self._lock:
            found, after, unread = self._database.run(self._edit, make, author, dry_run, levels)
        if found and not dry_run:
            self._bus.publish(RulesChanged())
        touched = {one.level for one in found}
        cautioned = cautions(
            RuleSet({level: rule for level, rule in after.rules.items() if level in touched})
        )
        cautioned += [f"{name} was never read: whether it has these ports is not known" for name in unread]
        return RuleOutcome(bool(found) and not dry_run, tuple(found), tuple(cautioned))

    def set_levels(
        self, changes: Sequence[LevelChange], author: Author, *, dry_run: bool = False
    ) -> RuleOutcome:
        """Raises InvalidParts."""
        levels = {one.level for one in changes}
        return self.edit(lambda before: changed(before, changes), author, dry_run=dry_run, levels=levels)

    def checked(self, make: Edit) -> RuleSet:
        """The rules as a change would make them; nothing is saved. Raises InvalidParts."""
        return self._database.run(self._edit, make, Author("", "", ""), True)[1]

    def replace_all(self, wanted: RuleSet, author: Author, *, dry_run: bool = False) -> RuleOutcome:
        """What is not in `wanted` is removed. Raises InvalidParts."""
        return self.edit(lambda _: wanted, author, dry_run=dry_run)

    def enrol(self, entries: Sequence[Enrolled], author: Author, *, dry_run: bool = False) -> RuleOutcome:
        """Raises InvalidParts."""
        levels = {one.level for one in entries}
        return self.edit(lambda before: with_entries(before, entries), author, dry_run=dry_run, levels=levels)

    def strike_off(self, number: int, author: Author) -> RuleOutcome:
        """Remove an entry of a roll. Raises NotFound."""

        def without(before: RuleSet) -> RuleSet:
            return without_entries(before, [_numbered(before, number)])

        return self.edit(without, author, levels=self._levels_of(number))

    def replace_entry(self, number: int, mac: MacAddress, author: Author) -> RuleOutcome:
        """Another device stands in for an enrolled one, with its note and owner.
        Raises NotFound, Conflict."""

        def replaced(before: RuleSet) -> RuleSet:
            entry = _numbered(before, number)
            if entry.prefix == mac.digits:
                raise Conflict(f"entry {number} is {mac} already")
            new = replace(entry, prefix=mac.digits, number=0)
            return with_entries(without_entries(before, [entry]), [new])

        return self.edit(replaced, author, levels=self._levels_of(number))

    def bar(self, entries: Sequence[Barred], author: Author, *, dry_run: bool = False) -> RuleOutcome:
        """Raises InvalidParts for what is enrolled."""
        new = {one.prefix for one in entries}

        def with_barred(before: RuleSet) -> RuleSet:
            kept = tuple(one for one in before.barred if one.prefix not in new)
            return replace(before, barred=(*kept, *entries))

        return self.edit(with_barred, author, dry_run=dry_run)

    def lift_bar(self, prefix: str, author: Author) -> RuleOutcome:
        """Raises NotFound."""

        def without_barred(before: RuleSet) -> RuleSet:
            left = tuple(one for one in before.barred if one.prefix != prefix)
            if len(left) == len(before.barred):
                raise NotFound("barred address", prefix_text(prefix), "`kiteroll barred list` shows them")
            return replace(before, barred=left)

        return self.edit(without_barred, author)

    def _levels_of(self, number: int) -> list[Level]:
        """The one of an entry of a roll; none where there is no such entry."""
        level = self._database.run(rules.level_of_entry, number)
        return [] if level is None else [level]

    def _edit(
        self,
        connection: Connection,
        make: Edit,
        author: Author,
        dry_run: bool,
        levels: Collection[Level] | None = None,
    ) -> tuple[list[Difference], RuleSet, list[str]]:
        """What differs, the rules after it, and switches of which no port is known."""
        before = rules.rule_set(connection, levels)
        after = make(before)
        found = differences(before, after)
        unread: list[str] = []
        if found:
            unread = _check(connection, after, found)
            if not dry_run:
                rules.save_differences(connection, after, found, author, self._clock.now())
        return found, after, unread


def _numbered(before: RuleSet, number: int) -> Enrolled:
    for rule in before.rules.values():
        for entry in rule.roll:
            if entry.number == number:
                return entry
    raise NotFound("entry of a roll", str(number), "`kiteroll rule list` shows the rolls")


def _check(connection: Connection, after: RuleSet, found: Sequence[Difference]) -> list[str]:
    """Of the levels that are changed, and the ranges beside them: switches of which no port is known. Raises
    InvalidParts, or NotFound where one level alone is changed and is not there."""
    touched = {one.level for one in found}
    switches = {level.switch for level in touched if level.switch}
    beside = {
        level: rule
        for level, rule in after.rules.items()
        if level in touched or (level.reach is Reach.RANGE and level.switch in switches)
    }
    known = {row.name: row for row in inventory.all_switches(connection)}
    groups = {group for row in known.values() for group in row.in_groups}
    only = next(iter(touched)) if len(touched) == 1 and next(iter(touched)) in beside else None
    if only is not None:
        _check_there(only, known, groups)
    of_switches = {
        name: ports.port_ids(connection, known[name].id).keys() for name in switches if name in known
    }
    ports_there = of_switches.get(only.switch) if only is not None else None
    if only is not None and only.port and ports_there and only.port not in ports_there:
        raise NotFound("port", only.port, did_you_mean(only.port, ports_there, ports_hint(only.switch)))
    wrong = contradictions(RuleSet(beside, after.barred), of_switches, groups)
    if any(one.what in ("enrolled", "barred") for one in found):
        wrong += enrolled_and_barred(after)
    if wrong:
        raise InvalidParts("rules", wrong)
    named = {level.switch for level in touched if level.port or level.ports}
    return sorted(name for name in named if not of_switches[name])


def _check_there(level: Level, switches: Collection[str], groups: Collection[str]) -> None:
    if level.group and level.group not in groups:
        raise no_such("group", level.group, groups)
    if level.switch and level.switch not in switches:
        raise no_such("switch", level.switch, switches)
