"""Stored findings, each with what it explains and what explains it."""

from kiteroll.app.queries.as_of import past_instant
from kiteroll.clock import Clock
from kiteroll.core.model.paging import PageAsk
from kiteroll.store import findings
from kiteroll.store.database import Database
from kiteroll.store.findings import FindingFilters, FindingWithParts
from kiteroll.store.paging import Page

__all__ = ["FindingFilters", "FindingQueries", "FindingWithParts"]


class FindingQueries:
    def __init__(self, database: Database, clock: Clock) -> None:
        self._database = database
        self._clock = clock

    def page(self, filters: FindingFilters, ask: PageAsk) -> Page[FindingWithParts]:
        """Latest evidence first. Raises Invalid for an instant in the future."""
        past_instant(self._clock, filters.at)
        return self._database.run(findings.findings_with_parts, filters, ask)

    def get(self, number: int) -> FindingWithParts:
        """Raises NotFound."""
        row = self._database.run(findings.get_finding, number)
        (found,) = self._database.run(findings.with_parts, [row])
        return found

    def parts(self, number: int, ask: PageAsk) -> Page[FindingWithParts]:
        """Findings that this one explains. Raises NotFound."""
        row = self._database.run(findings.get_finding, number)
        return self.page(FindingFilters(part_of=row.finding.key), ask)
