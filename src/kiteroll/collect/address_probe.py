"""Probes one address on one switch with a single GET: at which port is it now?

Readings sample a table every minute or so; after a move this shows, seconds apart, whether the
address stays or goes to and fro, where walking whole tables could not.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from kiteroll.clock import Clock
from kiteroll.collect.budget import Budget
from kiteroll.collect.exchange import ScalarGet
from kiteroll.collect.fdb import vlans_of_fdb
from kiteroll.collect.limits import Limits
from kiteroll.collect.raw import RawSwitch
from kiteroll.collect.snmp_client import Agent, Target
from kiteroll.collect.values import arcs_of, index_number, number
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Gap, Port, Reading, key_of
from kiteroll.snmp import mib
from kiteroll.snmp.ber import Oid

_WITH_LENGTH = 8
"""Arcs of a row's index where the agent puts the address's length before it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Rows:
    """How a switch numbers the rows of its table, remembered from its last whole reading."""

    databases: Mapping[int, int] = field(default_factory=dict)
    """VLAN to filtering database id; empty: only the old table is there."""
    by_database: bool = True
    with_length: bool = False
    interfaces: Mapping[int, int] = field(default_factory=dict)
    """Bridge port to ifIndex."""
    names: Mapping[int, str] = field(default_factory=dict)

    def object(self, mac: MacAddress, vlan: int | None) -> Oid | None:
        """The object that holds the port of an address; None where it is not known."""
        octets = tuple(mac.to_bytes(6, "big"))
        if not self.by_database:
            return (*mib.DOT1D_TP_FDB_PORT, *octets)
        if vlan is None:
            return None
        # Without a mapping the id is taken for the VLAN's (RFC 4363, as agents without one do).
        database = self.databases.get(vlan, vlan)
        length = (len(octets),) if self.with_length else ()
        return (*mib.DOT1Q_TP_FDB_PORT, database, *length, *octets)


def rows_of(raw: RawSwitch, reading: Reading) -> Rows:
    """From a reading and what it was made of."""
    databases = {vlan: database for database, vlans in vlans_of_fdb(raw).items() for vlan in vlans}
    newer = raw.column(mib.DOT1Q_TP_FDB_PORT)
    sample = arcs_of(next(iter(newer), b""))
    interfaces = {
        port: if_index
        for index, value in raw.column(mib.DOT1D_BASE_PORT_IF_INDEX).items()
        if (port := index_number(index)) and (if_index := number(value))
    }
    return Rows(
        databases=databases,
        by_database=bool(newer),
        with_length=sample is not None and len(sample) == _WITH_LENGTH,
        interfaces=interfaces,
        names=reading.port_names(),
    )


async def probe_address(
    switch: str, target: Target, rows: Rows, mac: MacAddress, vlan: int | None, clock: Clock, limits: Limits
) -> Reading | None:
    """A partial reading that holds this address alone; None when the switch does not have it now, or
    cannot be asked so. Raises what reading a switch raises."""
    asked = rows.object(mac, vlan)
    if asked is None or target.by_vlan:
        return None
    taken_at = clock.now()
    get = ScalarGet((asked,), target.protocol, limits)
    async with Agent(target, clock) as agent:
        await agent.hold(get, Budget(clock, replace(limits, total_s=limits.timeout_s * limits.tries)))
    port = number(get.values.get(asked))
    interface = rows.interfaces.get(port, port if not rows.interfaces else None) if port else None
    name = rows.names.get(interface) if interface else None
    if interface is None or name is None:
        return None
    return Reading(
        switch=switch,
        taken_at=taken_at,
        ports=(Port(number=interface, name=name),),
        learned={key_of(mac, vlan): interface},
        gaps=(Gap(table="dot1qTpFdbTable", why="asked for one address only", rows=1),),
    )
