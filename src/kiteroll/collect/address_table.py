"""Reads the MAC address table of a switch: which of the two tables for it, and which rows it is asked for."""

from kiteroll.collect.fdb import adds_rows, late_rows
from kiteroll.collect.row_status import RowStatuses, asked_for
from kiteroll.collect.table_walk import TableWalk
from kiteroll.collect.tables import ADDRESS_TABLES, OLD_TABLE, VLAN_TABLE
from kiteroll.collect.walk_cache import WalkCache


async def walk_address_table(tables: TableWalk, table: str, walk_cache: WalkCache) -> None:
    """Read one of them. The status of rows that are where they were is remembered; that of the others is
    asked for by name where they are few."""
    raw, budget = tables.raw, tables.budget
    port, status = ADDRESS_TABLES[table]
    before = walk_cache.statuses.pop(table, None)
    unchanged = False
    if before is None:
        await tables.walk({table: (port, status)})
    else:
        await tables.walk({table: (port,)})
        known = await budget.aside(before.known, raw.column(port))
        objects = await budget.aside(asked_for, status, raw.column(port), known)
        unchanged = objects == [] and len(known) == before.count
        if objects is None:
            await tables.walk({table: (status,)})
        else:
            raw.columns[status] = known
            await tables.get(table, (status,), objects)
    if raw.broke(table):
        return
    now = before
    if not unchanged:
        now = await budget.aside(RowStatuses.of, raw.column(port), raw.column(status))
    if now is not None:
        walk_cache.statuses[table] = now


async def walk_old_table(tables: TableWalk, walk_cache: WalkCache) -> None:
    """Read the older table as well, and the VLAN-aware one once more for addresses that only the older has.

    On most switches both show the same addresses, and one that was learned between the two walks
    would look like an address without a VLAN. A handful is asked for by name; many are really apart.
    """
    raw, budget = tables.raw, tables.budget
    await walk_address_table(tables, OLD_TABLE, walk_cache)
    late = await budget.aside(late_rows, raw)
    await tables.get(VLAN_TABLE, ADDRESS_TABLES[VLAN_TABLE], late)
    walk_cache.old_table_reported(more=await budget.aside(adds_rows, raw))
