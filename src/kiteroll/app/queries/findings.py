"""Stored findings, each with what it explains and what explains it."""

from collections.abc import Collection, Sequence
from datetime import datetime

from kiteroll.app.queries.as_of import past_instant
from kiteroll.clock import Clock
from kiteroll.core.errors import Invalid
from kiteroll.core.model.paging import PageAsk
from kiteroll.store import findings, former_switches
from kiteroll.store.database import Database
from kiteroll.store.findings import FindingFilters, FindingWithParts
from kiteroll.store.paging import Page

__all__ = ["FindingFilters", "FindingQueries", "FindingWithParts", "states_asked"]


def states_asked(states: Sequence[str] | None, at: datetime | None) -> Sequence[str]:
    """Open and acknowledged ones unless others are asked for; any as of an instant, for what they are now
    does not matter then. Raises Invalid for states as of an instant."""
    if at is None:
        return states or ("open", "acknowledged")
    if states:
        raise Invalid("state: as of an instant the findings are those that were open then; leave it out")
    return ()


class FindingQueries:
    def __init__(self, database: Database, clock: Clock) -> None:
        self._database = database
        self._clock = clock

    def page(self, filters: FindingFilters, ask: PageAsk) -> Page[FindingWithParts]:
        """Latest evidence first. Raises Invalid for an instant in the future, NotFound for a switch that
        never was."""
        past_instant(self._clock, filters.at)
        found = self._database.run(findings.findings_with_parts, filters, ask)
        if filters.switch and not found.items:
            self._check_switch(filters.switch)
        return found

    def _check_switch(self, name: str) -> None:
        """Raises NotFound for one of which nothing was ever found, and that never was in the inventory."""
        ever = FindingFilters(switch=name)
        if not self._database.run(findings.findings_page, ever, PageAsk(limit=1)).items:
            self._database.run(former_switches.switches_called, name)

    def get(self, number: int) -> FindingWithParts:
        """Raises NotFound."""
        row = self._database.run(findings.get_finding, number)
        (found,) = self._database.run(findings.with_parts, [row])
        return found

    def switches_of(self, numbers: Collection[int]) -> list[frozenset[str]]:
        """Names of the switches each is about. Raises NotFound when any is no finding."""
        return [row.finding.switches for row in self._database.run(findings.get_findings, numbers)]

    def parts(self, number: int, ask: PageAsk) -> Page[FindingWithParts]:
        """Findings that this one explains. Raises NotFound."""
        row = self._database.run(findings.get_finding, number)
        return self.page(FindingFilters(part_of=row.finding.key), ask)
