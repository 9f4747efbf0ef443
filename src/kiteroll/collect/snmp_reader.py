"""Reads one switch over SNMP: which tables are requested, and in which order."""

import asyncio
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from datetime import timedelta
from typing import TypeVar

from kiteroll.clock import Clock
from kiteroll.collect.address_probe import Rows, rows_of
from kiteroll.collect.assemble import assemble
from kiteroll.collect.budget import Budget
from kiteroll.collect.column_walk import ColumnWalk
from kiteroll.collect.exchange import ExchangeEnd, ScalarGet
from kiteroll.collect.fdb import adds_rows, late_rows
from kiteroll.collect.limits import Limits
from kiteroll.collect.raw import RawSwitch
from kiteroll.collect.snmp_client import Agent, Target
from kiteroll.collect.time_filter import TimeFilteredWalk
from kiteroll.collect.values import index_number
from kiteroll.collect.walk_cache import WalkCache
from kiteroll.core.errors import DeviceSilent
from kiteroll.core.model.reading import Reading
from kiteroll.snmp import ber, mib
from kiteroll.snmp.ber import Oid

T = TypeVar("T")
SCALARS = (
    mib.SYS_DESCR,
    mib.SYS_UP_TIME,
    mib.SYS_CONTACT,
    mib.SYS_NAME,
    mib.SYS_LOCATION,
    mib.DOT1D_BASE_BRIDGE_ADDRESS,
    mib.DOT1D_TP_AGING_TIME,
    mib.DOT1D_TP_LEARNED_ENTRY_DISCARDS,
    mib.DOT1D_STP_TIME_SINCE_TOPOLOGY_CHANGE,
    mib.DOT1D_STP_TOP_CHANGES,
)
NEEDED = {
    "ifTable": (
        mib.IF_DESCR,
        mib.IF_TYPE,
        mib.IF_PHYS_ADDRESS,
        mib.IF_ADMIN_STATUS,
        mib.IF_OPER_STATUS,
        mib.IF_LAST_CHANGE,
    ),
    "ifXTable": (mib.IF_NAME, mib.IF_HIGH_SPEED, mib.IF_ALIAS),
    "dot1dBasePortTable": (mib.DOT1D_BASE_PORT_IF_INDEX,),
    "dot1qPortVlanTable": (mib.DOT1Q_PVID,),
    "dot1qVlanCurrentTable": (mib.DOT1Q_VLAN_FDB_ID,),
    "dot1qTpFdbTable": (mib.DOT1Q_TP_FDB_PORT, mib.DOT1Q_TP_FDB_STATUS),
}
"""Tables without which addresses cannot be placed; requested first."""
OLD_TABLE = {"dot1dTpFdbTable": (mib.DOT1D_TP_FDB_PORT, mib.DOT1D_TP_FDB_STATUS)}
VIEW_TABLES = {"dot1dBasePortTable": (mib.DOT1D_BASE_PORT_IF_INDEX,), **OLD_TABLE}
ADDRESSES = {
    "ipNetToPhysicalTable": (mib.IP_NET_TO_PHYSICAL_PHYS_ADDRESS,),
    "ipNetToMediaTable": (mib.IP_NET_TO_MEDIA_PHYS_ADDRESS,),
}
"""Neighbour caches, which routers and some switches have."""
FURTHER = {
    "dot1qVlanStaticTable": (
        mib.DOT1Q_VLAN_STATIC_NAME,
        mib.DOT1Q_VLAN_STATIC_EGRESS_PORTS,
        mib.DOT1Q_VLAN_STATIC_UNTAGGED_PORTS,
    ),
    "dot1dStpPortTable": (mib.DOT1D_STP_PORT_STATE,),
    "dot3StatsTable": (mib.DOT3_STATS_DUPLEX_STATUS,),
    "dot3adAggPortTable": (
        mib.DOT3AD_AGG_PORT_PARTNER_SYSTEM,
        mib.DOT3AD_AGG_PORT_PARTNER_KEY,
        mib.DOT3AD_AGG_PORT_ATTACHED,
    ),
    "entPhysicalTable": (
        mib.ENT_PHYSICAL_CLASS,
        mib.ENT_PHYSICAL_SOFTWARE_REV,
        mib.ENT_PHYSICAL_SERIAL_NUM,
        mib.ENT_PHYSICAL_MODEL_NAME,
    ),
    "lldpLocPortTable": (mib.LLDP_LOC_PORT_ID_SUBTYPE, mib.LLDP_LOC_PORT_ID),
    "lldpRemTable": (
        mib.LLDP_REM_CHASSIS_ID_SUBTYPE,
        mib.LLDP_REM_CHASSIS_ID,
        mib.LLDP_REM_PORT_ID_SUBTYPE,
        mib.LLDP_REM_PORT_ID,
        mib.LLDP_REM_PORT_DESC,
        mib.LLDP_REM_SYS_NAME,
        mib.LLDP_REM_SYS_DESC,
        mib.LLDP_REM_SYS_CAP_ENABLED,
    ),
    "lldpRemManAddrTable": (mib.LLDP_REM_MAN_ADDR_IF_SUBTYPE,),
}
"""Tables that tell more of the switch; a reading without them is complete all the same."""
TIME_FILTERED = frozenset({"dot1qVlanCurrentTable", "lldpRemTable", "lldpRemManAddrTable"})

GROWING = frozenset({"dot1qTpFdbTable", *OLD_TABLE, *ADDRESSES})
"""Tables with a row for every endpoint."""
_SMALL_OCTETS = 128 << 10
"""Answers that are understood within a few milliseconds, whatever is in them: those of a switch with 500
addresses. More are left to a thread."""


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
        await _walk(agent, raw, NEEDED, limits, budget)
        _note_lost(raw, "dot1qVlanCurrentTable", mib.DOT1Q_VLAN_FDB_ID, walk_cache)
        if target.by_vlan:
            await _walk_views(target, raw, clock, limits, budget)
        elif not raw.broke("dot1qTpFdbTable") and walk_cache.wants_old_table(raw):
            # What the VLAN-aware table did not get to tell would look like addresses of no VLAN.
            await _walk(agent, raw, OLD_TABLE, limits, budget)
            await _confirm(agent, raw, limits, budget)
            walk_cache.old_table_told(more=await _aside(budget, adds_rows, raw))
            if raw.column(mib.DOT1D_TP_FDB_PORT) or raw.column(mib.DOT1Q_TP_FDB_PORT):
                _note_lost(raw, "dot1qTpFdbTable", mib.DOT1Q_TP_FDB_PORT, walk_cache)
        await _walk(agent, raw, ADDRESSES, limits, budget)
        if not walk_cache.reuse_further(raw):
            await _walk(agent, raw, FURTHER, limits, budget)
            walk_cache.store_further(raw, FURTHER)
    raw.duration = timedelta(seconds=clock.monotonic() - started)
    reading, how = await _aside(budget, _understood, raw)
    if reading.complete:
        walk_cache.rows = how
    return reading


def _note_lost(raw: RawSwitch, table: str, column: Oid, walk_cache: WalkCache) -> None:
    """A table of the VLAN-aware bridge that comes back empty leaves addresses without their VLAN."""
    if not raw.broke(table) and walk_cache.lost(table, len(raw.column(column))):
        raw.ends[table] = (ExchangeEnd("it came back empty, and was not before"), 0)
        if table == "dot1qTpFdbTable":
            for old in OLD_TABLE["dot1dTpFdbTable"]:
                raw.columns.pop(old, None)


def _understood(raw: RawSwitch) -> tuple[Reading, Rows]:
    reading = assemble(raw)
    return reading, rows_of(raw, reading)


async def _aside(budget: Budget, work: Callable[..., T], *args: object) -> T:
    """Run `work` over what was read: at once where that takes a moment, in a thread where it is much. Many
    switches may end at the same time, and nobody else is to wait for all of them."""
    return work(*args) if budget.octets <= _SMALL_OCTETS else await asyncio.to_thread(work, *args)


async def _confirm(agent: Agent, raw: RawSwitch, limits: Limits, budget: Budget) -> None:
    """Request the VLAN-aware table once more for addresses that only the old one has.

    On most switches both show the same addresses, and one that was learned between the two walks
    would look like an address without a VLAN. A handful is asked for by name; many are really apart.
    """
    objects = await _aside(budget, late_rows, raw)
    if objects:
        get = ScalarGet(objects, agent.target.protocol, limits)
        await agent.hold(get, budget)
        for oid, value in get.values.items():
            column = oid[: len(mib.DOT1Q_TP_FDB_PORT)]
            raw.columns[column][ber.encode_arcs(oid[len(column) :])] = value


async def _walk_views(target: Target, raw: RawSwitch, clock: Clock, limits: Limits, budget: Budget) -> None:
    """Look at the old table once a VLAN, each in the view that shows it."""
    for vlan in target.view_vlans or _vlans(raw):
        view = RawSwitch(switch=raw.switch, taken_at=raw.taken_at)
        async with Agent(target.view(vlan), clock) as agent:
            await _walk(agent, view, VIEW_TABLES, limits, budget)
        raw.views[vlan] = view
        for table, end in view.ends.items():
            raw.ends[f"{table} of VLAN {vlan}"] = end


def _vlans(raw: RawSwitch) -> list[int]:
    known = (index_number(index, position=1, length=2) for index in raw.column(mib.DOT1Q_VLAN_FDB_ID))
    return sorted(vlan for vlan in known if vlan)


async def _walk(
    agent: Agent, raw: RawSwitch, tables: Mapping[str, Sequence[Oid]], limits: Limits, budget: Budget
) -> None:
    for table, columns in tables.items():
        kind = TimeFilteredWalk if table in TIME_FILTERED else ColumnWalk
        rows = limits.rows if table in GROWING else min(limits.rows, limits.small_rows)
        walk = kind(columns, agent.target.protocol, replace(limits, rows=rows))
        ended = await agent.hold(walk, budget)
        raw.columns.update(walk.columns)
        raw.ends[table] = (ended, walk.rows)
