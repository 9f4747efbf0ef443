"""What differs between two instants, address by address."""

from collections.abc import Sequence
from datetime import datetime

from kiteroll.app.inventory_names import InventoryNames
from kiteroll.clock import Clock
from kiteroll.core.errors import Invalid
from kiteroll.core.model.paging import PageAsk
from kiteroll.core.model.whole_number import whole_number
from kiteroll.core.tracking.differences import Difference, compare
from kiteroll.store import former_switches, inventory, snapshot_diff
from kiteroll.store.database import Database
from kiteroll.store.paging import Page

_MAX_MAC = (1 << 48) - 1
_BATCH = 2_000
"""Addresses compared at a time, at most: the first batch is as large as the page, which mostly fills it."""
_MAX_BATCHES = 25
"""Batches a page: where next to nothing differs, a page ends early rather than late."""


class Differences:
    def __init__(self, database: Database, clock: Clock) -> None:
        self._database = database
        self._clock = clock

    def page(
        self,
        since: datetime,
        until: datetime | None,
        switch: str | None,
        group: str | None,
        ask: PageAsk,
    ) -> Page[Difference]:
        """By address, without places that were uplinks then. A page may hold fewer than `limit`, or none, and
        still have a next one. Raises Invalid, or NotFound for a switch or group that is not there."""
        end = until or self._clock.now()
        if since.tzinfo is None or end.tzinfo is None or since >= end:
            raise Invalid("since: it must be earlier than until, and both need a zone (2026-05-04T14:05:00Z)")
        switch_ids = self._switch_ids(switch, group)
        after = _after(ask.cursor)
        found: list[Difference] = []
        batch = ask.limit + 1
        for _ in range(_MAX_BATCHES):
            known = self._database.run(
                snapshot_diff.comparable,
                since,
                end,
                switch_ids=switch_ids,
                after=after,
                limit=batch,
            )
            for mac, stays in known.stays.items():
                after = int(mac)
                first_seen = known.first_seen.get(mac, end)
                difference = compare(mac, stays, first_seen, since, end, known.roles.was_access_at)
                if difference is not None:
                    found.append(difference)
                    if len(found) == ask.limit:
                        return Page(tuple(found), str(after))
            # Addresses that came and went in between differ in nothing: the page is filled from the next.
            if not known.more:
                return Page(tuple(found), None)
            batch = max(batch, min(4 * batch, _BATCH))
        return Page(tuple(found), str(after))

    def _switch_ids(self, switch: str | None, group: str | None) -> Sequence[int] | None:
        if switch is not None:
            return self._database.run(former_switches.ids_called, switch)
        if group is None:
            return None
        rows = self._database.run(inventory.all_switches)
        InventoryNames.of(rows).check(groups=(group,))
        return [row.id for row in rows if group in row.in_groups]


def _after(cursor: str | None) -> int:
    if cursor is None:
        return 0
    if (mac := whole_number(cursor, most=_MAX_MAC)) is None:
        raise Invalid("the cursor is not one that this list gave: use `next` of the page before")
    return mac
