"""The rules as the records have them, read anew only where those changed."""

import threading
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.policy.rule_changes import RuleSet
from kiteroll.store import rules
from kiteroll.store.database import Database
from kiteroll.store.rules import RuleRow


@dataclass(frozen=True, slots=True)
class _Kept:
    fingerprint: str
    rows: Sequence[RuleRow]
    whole: RuleSet


class KeptRules:
    """Tens of thousands of entries take seconds to read, and a tenth of one to be known as unchanged. From
    any thread; each call raises StorageUnavailable."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._lock = threading.Lock()
        self._kept: _Kept | None = None
        self._book: tuple[RuleSet, Mapping[str, Sequence[str]], RuleBook] | None = None

    def fingerprint(self) -> str:
        """Another one wherever the rules are others."""
        return self._database.run(rules.fingerprint)

    def rows(self) -> Sequence[RuleRow]:
        """Wide levels first."""
        return self._current().rows

    def rule_set(self) -> RuleSet:
        return self._current().whole

    def book(self) -> RuleBook:
        """The rules in force, to go by."""
        whole, groups = self.rule_set(), self._database.run(rules.groups_of_switches)
        with self._lock:
            if self._book is None or self._book[0] is not whole or self._book[1] != groups:
                self._book = (whole, groups, rules.book_of(whole, groups))
            return self._book[2]

    def _current(self) -> _Kept:
        # First of all: what changes while the rest is read is read again with the next call.
        fingerprint = self.fingerprint()
        with self._lock:
            if self._kept is None or self._kept.fingerprint != fingerprint:
                rows, barred = self._database.run(rules.all_rules), self._database.run(rules.all_barred)
                self._kept = _Kept(fingerprint, rows, rules.as_set(rows, barred))
            return self._kept
