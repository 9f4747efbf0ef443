"""Stored findings, each with what it explains and what explains it."""

from kiteroll.core.model.paging import PageAsk
from kiteroll.store import findings
from kiteroll.store.database import Database
from kiteroll.store.findings import FindingFilters, FindingWithParts
from kiteroll.store.paging import Page

__all__ = ["FindingFilters", "FindingQueries", "FindingWithParts"]


class FindingQueries:
    def __init__(self, database: Database) -> None:
        self._database = database

    def page(self, filters: FindingFilters, ask: PageAsk) -> Page[FindingWithParts]:
        """Latest evidence first."""
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
