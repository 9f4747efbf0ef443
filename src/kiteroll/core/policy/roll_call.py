"""Roll call of many ports: who is present beside who may be, in numbers, or beside a list of devices."""

from collections.abc import Collection, Container, Iterable, Mapping, Sequence
from dataclasses import dataclass, fields
from datetime import datetime
from enum import StrEnum

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.policy.occupancy import PortCounts
from kiteroll.core.policy.port_rules import RollStatus


@dataclass(frozen=True, slots=True, kw_only=True)
class RollCallCounts:
    """Of one port, or summed over many. Addresses are counted once a port."""

    ports: int = 0
    present: int = 0
    enrolled: int = 0
    strangers: int = 0
    out_of_place: int = 0
    barred: int = 0
    absent: int = 0
    overfull: int = 0
    """Ports with more present than seats."""
    broken: int = 0
    """Ports at which any rule is broken."""
    not_read: int = 0
    """Ports of switches that are not read in time: the other numbers are of their latest readings."""

    def __add__(self, other: "RollCallCounts") -> "RollCallCounts":
        names = [one.name for one in fields(self)]
        return RollCallCounts(**{name: getattr(self, name) + getattr(other, name) for name in names})


def counts_of(counts: PortCounts, now: datetime, *, current: bool) -> RollCallCounts:
    """Of one port. `current`: whether its switch is read in time."""
    found = counts.by_status

    def count(status: RollStatus) -> int:
        return len(found[status]) if status in found else 0

    return RollCallCounts(
        ports=1,
        present=counts.present,
        enrolled=count(RollStatus.ENROLLED),
        strangers=count(RollStatus.STRANGER),
        out_of_place=count(RollStatus.OUT_OF_PLACE),
        barred=count(RollStatus.BARRED),
        absent=0 if counts.exempt else counts.absent(now),
        overfull=int(counts.overfull),
        broken=int(counts.broken),
        not_read=int(not current),
    )


def total(counts: Iterable[RollCallCounts]) -> RollCallCounts:
    """Their sum."""
    found = dict.fromkeys((one.name for one in fields(RollCallCounts)), 0)
    for one in counts:
        for name in found:
            found[name] += getattr(one, name)
    return RollCallCounts(**found)


class Attendance(StrEnum):
    """Of a device that a list expects, or that it does not."""

    IN_PLACE = "in place"
    ELSEWHERE = "elsewhere"
    """Present, and not where it is expected."""
    ABSENT = "absent"
    """Known, and not present."""
    UNKNOWN = "unknown"
    """No switch has ever had it."""
    NOT_LISTED = "not listed"
    """Present at a port that was called, and not on the list."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Expected:
    """A line of a list of expected devices."""

    line: int
    device: str
    """As it is written: an address, a name or an IP."""
    macs: tuple[MacAddress, ...]
    """Addresses it stands for; empty when none is known."""
    switch: str = ""
    port: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Attended:
    attendance: Attendance
    device: str
    """As the list has it; empty for those not listed."""
    line: int | None
    mac: MacAddress | None
    expected: PortRef | None
    """The port may be empty: anywhere on the switch."""
    found: tuple[PortRef, ...]
    """Where it is present."""
    not_read: bool
    """A switch where it is present, or may be, is not read in time: all this is of its latest reading."""


def attend(
    expected: Sequence[Expected],
    homes: Mapping[MacAddress, Sequence[PortRef]],
    known: Container[MacAddress],
    called: Container[PortRef] | None,
    unread: Collection[str] = (),
) -> list[Attended]:
    """The list beside the network, both ways: each line, then who is present and not listed. `homes`:
    access ports where each is present; `called`: the ports whose occupants must be on the list, None: all;
    `unread`: switches that are not read in time."""
    found = []
    listed: set[MacAddress] = set()
    for one in expected:
        listed.update(one.macs)
        mac = next((mac for mac in one.macs if mac in homes), one.macs[0] if one.macs else None)
        ports = tuple(homes.get(mac, ())) if mac is not None else ()
        where = (one.switch, one.port) if one.switch else None
        if not ports:
            attendance = Attendance.ABSENT if mac is not None and mac in known else Attendance.UNKNOWN
        elif where is None or any(_is_at(port, where) for port in ports):
            attendance = Attendance.IN_PLACE
        else:
            attendance = Attendance.ELSEWHERE
        found.append(
            Attended(
                attendance=attendance,
                device=one.device,
                line=one.line,
                mac=mac,
                expected=where,
                found=ports,
                not_read=_is_of(unread, ports, where),
            )
        )
    for mac in sorted(homes.keys() - listed):
        ports = tuple(port for port in homes[mac] if called is None or port in called)
        if ports:
            found.append(
                Attended(
                    attendance=Attendance.NOT_LISTED,
                    device="",
                    line=None,
                    mac=mac,
                    expected=None,
                    found=ports,
                    not_read=_is_of(unread, ports, None),
                )
            )
    return found


def _is_of(unread: Collection[str], ports: Sequence[PortRef], where: PortRef | None) -> bool:
    """Whether what is said of a device rests on a switch of these. One that is present nowhere may be at any,
    unless it is expected at one."""
    if ports:
        return any(switch in unread for switch, _ in ports)
    return where[0] in unread if where is not None else bool(unread)


def _is_at(port: PortRef, where: PortRef) -> bool:
    return port[0] == where[0] and where[1] in ("", port[1])
