"""Readings of simulated switches, without the wire."""

from datetime import UTC, datetime, timedelta

from kiteroll.core.model.reading import Device, Neighbour, Oper, Port, Reading, Vlan, key_of
from kiteroll.lab.switch import LabPort, LabSwitch
from kiteroll.lab.world import World

_A_REQUEST = timedelta(milliseconds=4)
"""Until an agent of the laboratory answers, about."""
_ROWS_A_REQUEST = 25


def reading_of(
    world: World, switch: LabSwitch, at: datetime, *, up_s: float, links: bool = True, lldp: bool = True
) -> Reading:
    """What the switch's agent would report at that time. `up_s`: since when it says to be up, in seconds;
    `links`: whether it reports when links changed; `lldp`: whether it announces itself and its neighbours."""
    outer = {port.number: port for port in switch.ports.values() if not port.inner}
    neighbours = world.neighbours(switch.name) if lldp else {}
    return Reading(
        switch=switch.name,
        taken_at=at.astimezone(UTC),
        duration=_A_REQUEST * (1 + len(switch.fdb) / _ROWS_A_REQUEST),
        device=Device(
            name=switch.name,
            description="Simulated bridge, 24 ports",
            location=switch.location,
            uptime_ticks=int(up_s * 100),
            ageing=timedelta(seconds=switch.ageing_s),
            bridge_address=switch.mac if lldp else None,
            topology_changes=switch.topology_changes,
        ),
        ports=tuple(
            Port(
                number=port.number,
                name=port.name,
                alias=port.alias,
                oper=Oper.UP if port.up else Oper.DOWN,
                speed_bps=port.speed_mbps * 1_000_000,
                bridged=True,
                default_vlan=port.pvid,
                tagged=port.tagged,
                untagged=frozenset({port.pvid}),
                spanning_tree=_state(port),
                changed_ticks=_changed_ticks(port.changed_at - switch.booted_at) if links else None,
            )
            for port in outer.values()
        ),
        vlans=tuple(Vlan(id=number, name=name) for number, name in switch.vlans.items()),
        learned={key_of(mac, vlan): row.port for (vlan, mac), row in switch.fdb.items() if row.port in outer},
        neighbours=tuple(
            Neighbour(
                port=outer[number].name,
                chassis=str(other.mac),
                chassis_mac=other.mac,
                port_id=switch.far_ports.get(number, ""),
                name=other.name,
                capabilities=("bridge",),
            )
            for number, other in neighbours.items()
        ),
        addresses=dict(switch.neighbour_cache),
    )


def _state(port: LabPort) -> str:
    if not port.up:
        return "disabled"
    return "blocking" if port.blocked else "forwarding"


def _changed_ticks(since_boot_s: float) -> int | None:
    """None for a port that last changed before the switch started (ifLastChange is then 0, RFC 2863)."""
    return int(since_boot_s * 100) if since_boot_s > 0 else None
