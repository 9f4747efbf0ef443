"""The names of switches, sites and groups that there are: a mistyped one must not stand for nobody."""

from collections.abc import Iterable
from dataclasses import dataclass

from kiteroll.core.errors import Invalid, NotFound
from kiteroll.core.model.nearest import no_such
from kiteroll.store import inventory
from kiteroll.store.database import Database
from kiteroll.store.inventory import SwitchRow


@dataclass(frozen=True, slots=True)
class InventoryNames:
    switches: frozenset[str]
    sites: frozenset[str]
    groups: frozenset[str]

    @classmethod
    def of(cls, rows: Iterable[SwitchRow]) -> "InventoryNames":
        rows = list(rows)
        return cls(
            switches=frozenset(row.name for row in rows),
            sites=frozenset(row.site for row in rows if row.site),
            groups=frozenset(name for row in rows for name in row.in_groups),
        )

    @classmethod
    def read(cls, database: Database) -> "InventoryNames":
        return cls.of(database.run(inventory.all_switches))

    def check(
        self,
        *,
        switches: Iterable[str | None] = (),
        sites: Iterable[str | None] = (),
        groups: Iterable[str | None] = (),
    ) -> None:
        """Raises NotFound for the first that is not there, with those that may have been meant; empty ones
        are left out."""
        for kind, names, known in (
            ("switch", switches, self.switches),
            ("site", sites, self.sites),
            ("group", groups, self.groups),
        ):
            for name in names:
                if name and name not in known:
                    raise no_such(kind, name, known)

    def check_value(self, field: str, **names: Iterable[str | None]) -> None:
        """As `check`, of what a field of a request holds. Raises Invalid."""
        try:
            self.check(**names)
        except NotFound as missing:
            raise Invalid(f"{field}: {missing}") from missing
