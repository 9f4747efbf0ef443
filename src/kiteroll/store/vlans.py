"""VLANs across switches: which have it, and how many addresses are in it."""

from dataclasses import dataclass

from sqlalchemy import Connection, func, select

from kiteroll.store.tables import port, stay, switch, vlan


@dataclass(frozen=True, slots=True)
class VlanRow:
    id: int
    names: tuple[str, ...]
    """What switches call it; one if they agree."""
    switches: int
    present: int
    """Addresses present in it, each counted once."""


@dataclass(frozen=True, slots=True)
class VlanPort:
    switch: str
    port: str
    alias: str
    tagged: bool
    default: bool
    oper: str


def all_vlans(connection: Connection) -> list[VlanRow]:
    named = (
        select(vlan.c.id, vlan.c.name, switch.c.name)
        .join(switch, switch.c.id == vlan.c.switch_id)
        .where(switch.c.removed_at.is_(None))
    )
    names: dict[int, set[str]] = {}
    switches: dict[int, set[str]] = {}
    for number, name, switch_name in connection.execute(named):
        names.setdefault(number, set()).update({name} if name else ())
        switches.setdefault(number, set()).add(switch_name)
    counted = (
        select(stay.c.vlan, func.count(func.distinct(stay.c.mac)))
        .where(stay.c.ended_at.is_(None), stay.c.last_seen_at.is_(None), stay.c.vlan > 0)
        .group_by(stay.c.vlan)
    )
    present = {number: count for number, count in connection.execute(counted)}
    return [
        VlanRow(
            number,
            tuple(sorted(names.get(number, ()))),
            len(switches.get(number, ())),
            present.get(number, 0),
        )
        for number in sorted(names.keys() | present.keys())
    ]


def ports_of_vlan(connection: Connection, number: int) -> list[VlanPort]:
    """Ports that carry a VLAN, or put untagged frames into it."""
    rows = connection.execute(
        select(switch.c.name, port.c.name, port.c.alias, port.c.tagged, port.c.default_vlan, port.c.oper)
        .join(switch, switch.c.id == port.c.switch_id)
        .where(switch.c.removed_at.is_(None), port.c.there)
        .where(
            func.json_contains(port.c.tagged, str(number)).__eq__(1)
            | func.json_contains(port.c.untagged, str(number)).__eq__(1)
            | (port.c.default_vlan == number)
        )
        .order_by(switch.c.name, port.c.number)
    )
    return [
        VlanPort(name, port_name, alias, number in tagged, default == number, oper)
        for name, port_name, alias, tagged, default, oper in rows
    ]
