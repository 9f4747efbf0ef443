"""Reads one switch over SNMP: which tables are asked for, and in which order."""

from collections.abc import Mapping, Sequence
from datetime import timedelta

from kiteroll.clock import Clock
from kiteroll.collect.agent import Agent, Target
from kiteroll.collect.assemble import assemble
from kiteroll.collect.conversation import ColumnWalk, ScalarGet
from kiteroll.collect.limits import Limits
from kiteroll.collect.raw import RawSwitch
from kiteroll.collect.time_filter import TimeFilteredWalk
from kiteroll.core.errors import DeviceSilent
from kiteroll.core.reading import Reading
from kiteroll.snmp import mib
from kiteroll.snmp.ber import Oid

SCALARS = (
    mib.SYS_DESCR,
    mib.SYS_UP_TIME,
    mib.SYS_CONTACT,
    mib.SYS_NAME,
    mib.SYS_LOCATION,
    mib.DOT1D_BASE_BRIDGE_ADDRESS,
    mib.DOT1D_TP_AGING_TIME,
)
TABLES = {
    "ifTable": (mib.IF_DESCR, mib.IF_PHYS_ADDRESS, mib.IF_ADMIN_STATUS, mib.IF_OPER_STATUS),
    "ifXTable": (mib.IF_NAME, mib.IF_HIGH_SPEED, mib.IF_ALIAS),
    "dot1dBasePortTable": (mib.DOT1D_BASE_PORT_IF_INDEX,),
    "dot1qPortVlanTable": (mib.DOT1Q_PVID,),
    "dot1qVlanCurrentTable": (mib.DOT1Q_VLAN_FDB_ID,),
    "dot1qVlanStaticTable": (mib.DOT1Q_VLAN_STATIC_NAME,),
    "dot1qTpFdbTable": (mib.DOT1Q_TP_FDB_PORT, mib.DOT1Q_TP_FDB_STATUS),
}
OLD_TABLE = {"dot1dTpFdbTable": (mib.DOT1D_TP_FDB_PORT, mib.DOT1D_TP_FDB_STATUS)}
"""Asked for only when the VLAN-aware table has no rows."""


async def read_switch(name: str, target: Target, clock: Clock, limits: Limits) -> Reading:
    """One reading of one switch, complete or partial; takes at most `limits.total_s` seconds.

    Raises DeviceSilent when it does not answer at all, Invalid when `target.host` names no host.
    """
    started = clock.monotonic()
    deadline = started + limits.total_s
    raw = RawSwitch(switch=name, taken_at=clock.now())
    async with Agent(target, clock) as agent:
        scalars = ScalarGet(SCALARS, target.version, limits)
        ended = await agent.hold(scalars, deadline)
        if ended.silent and not scalars.values:
            raise DeviceSilent(
                target.address,
                f"{ended.why}. Tried SNMP {'v1' if target.version == 0 else 'v2c'} over UDP; a switch also "
                "stays silent when the community is wrong or its access list does not know this machine",
            )
        raw.scalars = scalars.values
        raw.ends["system"] = (ended, len(scalars.values))
        await _walk(agent, raw, TABLES, limits, deadline)
        ended, rows = raw.ends["dot1qTpFdbTable"]
        if ended.complete and rows == 0:
            await _walk(agent, raw, OLD_TABLE, limits, deadline)
    raw.duration = timedelta(seconds=clock.monotonic() - started)
    return assemble(raw)


async def _walk(
    agent: Agent,
    raw: RawSwitch,
    tables: Mapping[str, Sequence[Oid]],
    limits: Limits,
    deadline: float,
) -> None:
    for table, columns in tables.items():
        kind = TimeFilteredWalk if table == "dot1qVlanCurrentTable" else ColumnWalk
        walk = kind(columns, agent.target.version, limits)
        ended = await agent.hold(walk, deadline)
        raw.columns.update(walk.columns)
        raw.ends[table] = (ended, walk.rows)
