"""Reads one switch over SNMP: which tables are requested, and in which order."""

from datetime import timedelta

from kiteroll.clock import Clock
from kiteroll.collect.address_probe import Rows, rows_of
from kiteroll.collect.address_table import walk_address_table, walk_old_table
from kiteroll.collect.assemble import assemble
from kiteroll.collect.budget import Budget
from kiteroll.collect.exchange import ExchangeEnd, ScalarGet
from kiteroll.collect.limits import Limits
from kiteroll.collect.raw import RawSwitch
from kiteroll.collect.snmp_client import Agent, Target
from kiteroll.collect.table_walk import TableWalk
from kiteroll.collect.tables import (
    ADDRESS_TABLES,
    FURTHER,
    INTERFACES,
    LINKS,
    NEEDED,
    NEIGHBOUR_CACHES,
    OLD_TABLE,
    SCALARS,
    VIEW_TABLES,
    VLAN_TABLE,
)
from kiteroll.collect.values import index_number
from kiteroll.collect.walk_cache import WalkCache
from kiteroll.core.errors import DeviceSilent
from kiteroll.core.model.reading import Reading
from kiteroll.snmp import mib
from kiteroll.snmp.ber import Oid

_VLANS = "dot1qVlanCurrentTable"


async def read_switch(
    name: str, target: Target, clock: Clock, limits: Limits, walk_cache: WalkCache | None = None
) -> Reading:
    """One reading of one switch, complete or partial; takes at most `limits.total_s` seconds.

    With `walk_cache`, which are brought up to date, what hardly ever changes is not asked for every time.

    Raises DeviceSilent when it does not answer at all, DeviceRefused when it will not have us
    (SNMPv3), Invalid when `target.host` names no host.
    """
    walk_cache = walk_cache or WalkCache()
    started = clock.monotonic()
    budget = Budget(clock, limits)
    raw = RawSwitch(switch=name, taken_at=clock.now())
    async with Agent(target, clock) as agent:
        scalars = ScalarGet(SCALARS, target.protocol, limits)
        ended = await agent.hold(scalars, budget)
        if ended.silent and not scalars.values:
            raise DeviceSilent(target.address, f"{ended.why}. {agent.security.silence()}")
        raw.scalars = scalars.values
        raw.ends["system"] = (ended, len(scalars.values))
        tables = TableWalk(agent, raw, limits, budget)
        await _walk_interfaces(tables, walk_cache)
        await tables.walk(NEEDED)
        await _walk_addresses(tables, target, clock, walk_cache)
        await tables.walk(NEIGHBOUR_CACHES)
        if not walk_cache.reuse_further(raw):
            await tables.walk(FURTHER)
            walk_cache.store_further(raw, FURTHER)
    raw.duration = timedelta(seconds=clock.monotonic() - started)
    reading, how = await budget.aside(_understood, raw)
    if reading.complete:
        walk_cache.rows = how
    return reading


async def _walk_interfaces(tables: TableWalk, walk_cache: WalkCache) -> None:
    """What links do is read each time, what the interfaces are only where that may have changed."""
    await tables.walk(LINKS)
    if not walk_cache.reuse_interfaces(tables.raw):
        await tables.walk(INTERFACES)
        walk_cache.store_interfaces(tables.raw, INTERFACES)


async def _walk_addresses(tables: TableWalk, target: Target, clock: Clock, walk_cache: WalkCache) -> None:
    raw = tables.raw
    await walk_address_table(tables, VLAN_TABLE, walk_cache)
    _note_lost(raw, _VLANS, mib.DOT1Q_VLAN_FDB_ID, walk_cache)
    if target.by_vlan:
        await _walk_views(target, tables, clock)
    elif not raw.broke(VLAN_TABLE) and walk_cache.wants_old_table(raw):
        # What the VLAN-aware table did not get to list would look like addresses of no VLAN.
        await walk_old_table(tables, walk_cache)
        if raw.column(mib.DOT1D_TP_FDB_PORT) or raw.column(mib.DOT1Q_TP_FDB_PORT):
            _note_lost(raw, VLAN_TABLE, mib.DOT1Q_TP_FDB_PORT, walk_cache)


def _note_lost(raw: RawSwitch, table: str, column: Oid, walk_cache: WalkCache) -> None:
    """A table of the VLAN-aware bridge that comes back empty leaves addresses without their VLAN."""
    if not raw.broke(table) and walk_cache.lost(table, len(raw.column(column))):
        raw.ends[table] = (ExchangeEnd("it came back empty, and was not before"), 0)
        if table == VLAN_TABLE:
            for old in ADDRESS_TABLES[OLD_TABLE]:
                raw.columns.pop(old, None)


def _understood(raw: RawSwitch) -> tuple[Reading, Rows]:
    reading = assemble(raw)
    return reading, rows_of(raw, reading)


async def _walk_views(target: Target, tables: TableWalk, clock: Clock) -> None:
    """Look at the old table once a VLAN, each in the view that shows it."""
    raw = tables.raw
    vlans = target.view_vlans or _vlans(raw)
    if not vlans and not raw.broke(_VLANS):
        raw.ends[_VLANS] = (ExchangeEnd("it lists no VLAN to look into: name them (--view-vlans)"), 0)
    for vlan in vlans:
        view = RawSwitch(switch=raw.switch, taken_at=raw.taken_at)
        async with Agent(target.view(vlan), clock) as agent:
            await TableWalk(agent, view, tables.limits, tables.budget).walk(VIEW_TABLES)
        raw.views[vlan] = view
        for table, end in view.ends.items():
            raw.ends[f"{table} of VLAN {vlan}"] = end


def _vlans(raw: RawSwitch) -> list[int]:
    known = (index_number(index, position=1, length=2) for index in raw.column(mib.DOT1Q_VLAN_FDB_ID))
    return sorted(vlan for vlan in known if vlan)
