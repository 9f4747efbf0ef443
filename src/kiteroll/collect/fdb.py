"""The MAC address table: rows of the filtering database to addresses at ports in VLANs."""

from collections import Counter, defaultdict
from collections.abc import Mapping, Set
from dataclasses import dataclass

from kiteroll.collect.raw import RawSwitch
from kiteroll.collect.values import arcs_of, index_number, number
from kiteroll.core.model import bounds
from kiteroll.core.model.mac import GROUP_BIT, MacAddress
from kiteroll.core.model.reading import NO_PORT, Device, Entry, Gap, Port, Status, key_of, mac_of
from kiteroll.core.model.table_rows import at_bundles, bundle_numbers, is_endpoint
from kiteroll.snmp import ber, mib
from kiteroll.snmp.mac_index import mac_of_index
from kiteroll.snmp.message import Value

_STATUS = {1: Status.OTHER, 3: Status.LEARNED, 4: Status.SELF, 5: Status.STATIC}
_LEARNED = b"\x03"
_INVALID = 2
"""dot1qTpFdbStatus invalid(2): aged out, not yet flushed from the table."""
_OCTETS = 6
_FEW = 32
_ASKED_AT_MOST = 1000
_OLD_COLUMNS = (mib.DOT1D_TP_FDB_PORT, mib.DOT1D_TP_FDB_STATUS)


@dataclass(frozen=True, slots=True)
class Fdb:
    learned: dict[int, int]
    others: tuple[Entry, ...]
    gaps: tuple[Gap, ...]


def read_fdb(
    raw: RawSwitch,
    bridge_ports: Mapping[int, int],
    ports: tuple[Port, ...],
    device: Device,
    view_ports: Mapping[int, Mapping[int, int]],
) -> Fdb:
    """`bridge_ports` maps bridge port numbers to ifIndex; `view_ports` the same in the view of a VLAN."""
    rows = _Rows(raw, bridge_ports, ports, device)
    rows.add("dot1qTpFdbTable", raw, mib.DOT1Q_TP_FDB_PORT, mib.DOT1Q_TP_FDB_STATUS, Source())
    rows.add("dot1dTpFdbTable", raw, *_OLD_COLUMNS, rows.old_source(raw))
    for vlan, view in raw.views.items():
        source = Source(old=True, vlan=vlan, bridge_ports=view_ports.get(vlan))
        rows.add(f"dot1dTpFdbTable of VLAN {vlan}", view, *_OLD_COLUMNS, source)
    gaps = (
        Gap(table=table, why=why, rows=count, breaks=False)
        for (table, why), count in sorted(rows.left_out.items())
    )
    return Fdb(at_bundles(rows.learned, bundle_numbers(ports)), tuple(rows.others), tuple(gaps))


def late_rows(raw: RawSwitch) -> list[ber.Oid]:
    """Objects of the VLAN-aware table for addresses that only the old table has; none where that
    table is empty, or where they are too many to have been learned between two walks."""
    newer = raw.column(mib.DOT1Q_TP_FDB_PORT)
    only_older = _only_older(raw)
    databases = {arcs[0] for index in newer if (arcs := arcs_of(index))}
    databases |= vlans_of_fdb(raw).keys()
    if not newer or len(only_older) > _FEW or len(only_older) * len(databases) > _ASKED_AT_MOST:
        return []
    return [
        (*column, database, *arcs)
        for arcs in only_older
        for database in sorted(databases)
        for column in (mib.DOT1Q_TP_FDB_PORT, mib.DOT1Q_TP_FDB_STATUS)
    ]


def adds_rows(raw: RawSwitch) -> bool:
    """Whether the old table has, or may have, addresses that the VLAN-aware one has not."""
    return raw.broke("dot1dTpFdbTable") or bool(_only_older(raw))


def _only_older(raw: RawSwitch) -> list[tuple[int, ...]]:
    """Indexes of the old table whose address the VLAN-aware table does not hold."""
    newer = raw.column(mib.DOT1Q_TP_FDB_PORT)
    # In both tables most addresses are the same: they are compared without a look inside.
    addresses = {_parted(index)[1] for index in newer}
    maybe = [index for index in raw.column(mib.DOT1D_TP_FDB_PORT) if index not in addresses]
    if not maybe:
        return []
    known = {arcs[-_OCTETS:] for index in newer if (arcs := arcs_of(index))}
    older = (arcs_of(index) for index in maybe)
    return [arcs for arcs in older if arcs and arcs[-_OCTETS:] not in known]


def _parted(index: bytes) -> tuple[bytes, bytes]:
    """An index of the VLAN-aware table as its database, whose number takes one or two octets on nearly all
    switches, and the address: an index of the old table as it is."""
    return (index[:1], index[1:]) if index[:1] < b"\x80" else (index[:2], index[2:])


@dataclass(frozen=True, slots=True, kw_only=True)
class Source:
    """How to understand the rows of one table."""

    old: bool = False
    """Indexed by the address alone (dot1dTpFdbTable)."""
    vlan: int | None = None
    """The VLAN all its rows are in; None: not known."""
    known: frozenset[MacAddress] = frozenset()
    """Addresses the VLAN-aware table has given already, and better: with their VLAN."""
    taken: Set[bytes] = frozenset()
    """Indexes of such addresses."""
    bridge_ports: Mapping[int, int] | None = None
    """Bridge port to ifIndex as this view numbers them; None: as the switch does at large."""


class _Rows:
    def __init__(
        self, raw: RawSwitch, bridge_ports: Mapping[int, int], ports: tuple[Port, ...], device: Device
    ) -> None:
        self.raw = raw
        self.bridge_ports = bridge_ports
        self.names = {port.number: port.name for port in ports}
        self.own = {port.address for port in ports} | {device.bridge_address}
        self.vlans_of_fdb = vlans_of_fdb(raw)
        self.vlans_of_port = {port.number: port.tagged | port.untagged for port in ports}
        self.learned: dict[int, int] = {}
        self.others: list[Entry] = []
        self.left_out: Counter[tuple[str, str]] = Counter()
        self.taken: Set[bytes] = frozenset()
        """Encoded addresses of the rows that were plain."""

    def add(
        self, table: str, raw: RawSwitch, port_column: ber.Oid, status_column: ber.Oid, source: Source
    ) -> None:
        """Take the rows of one table, found in `raw`: the switch, or a view of it."""
        numbers, statuses = raw.column(port_column), raw.column(status_column)
        indexes = list(numbers) if source.old else self._read_plain(numbers, statuses)
        indexes += [index for index in statuses if index not in numbers]
        if source.taken:
            indexes = [index for index in indexes if index not in source.taken]
        broke = self.raw.broke(table)
        for index in indexes:
            if statuses and index not in statuses and broke:
                fault = "walk broke off before the status of the row"
            else:
                fault = self._row(index, numbers.get(index), statuses.get(index), source)
            if fault:
                self.left_out[table, fault] += 1

    def old_source(self, raw: RawSwitch) -> Source:
        """How to understand the old table of a switch whose VLAN-aware one was read."""
        older = raw.column(_OLD_COLUMNS[0]).keys() | raw.column(_OLD_COLUMNS[1]).keys()
        if not older or older <= self.taken:
            return Source(old=True, taken=self.taken)
        known = frozenset(mac_of(key) for key in self.learned) | {entry.mac for entry in self.others}
        return Source(old=True, known=known, taken=self.taken)

    def _read_plain(self, numbers: Mapping[bytes, Value], statuses: Mapping[bytes, Value]) -> list[bytes]:
        """Take the rows that nearly all are: learned, at a mapped port, a plain index. Returns the
        others, for `_row` to look at one by one. It does nothing that `_row` would not do; it is the
        hot loop of every reading."""
        others: list[bytes] = []
        taken: set[bytes] = set()
        places: dict[tuple[bytes, bytes], tuple[int, int] | None] = {}
        own, learned = self.own, self.learned
        for index, port_value in numbers.items():
            database, address = _parted(index)
            status = statuses.get(index)
            mac = mac_of_index(address)
            if mac is None or status is None or status[1] != _LEARNED:
                others.append(index)
                continue
            there = (database, port_value[1])
            if there not in places:
                places[there] = self._plain_place(arcs_of(database), number(port_value))
            place = places[there]
            if place is None or mac & GROUP_BIT or mac in own:
                others.append(index)
            else:
                learned.setdefault(place[0] | mac, place[1])
                taken.add(address)
        self.taken = taken
        return others

    def _plain_place(self, database: ber.Oid | None, bridge_port: int | None) -> tuple[int, int] | None:
        """(VLAN part of the key, ifIndex) for rows of a database at a port; None: not plain."""
        if not database:
            return None
        fdb_id = database[0]
        if_index = self.bridge_ports.get(bridge_port) if bridge_port else None
        unread = fdb_id not in self.vlans_of_fdb and self.raw.broke("dot1qVlanCurrentTable")
        if if_index is None or unread:
            return None
        return key_of(0, self._vlan(fdb_id, bridge_port)), if_index

    def _row(self, index: bytes, port_value: Value | None, status_value: Value | None, source: Source) -> str:
        """Take one row; returns why it is no endpoint at a port, or an empty text."""
        try:
            arcs = ber.decode_arcs(index)
        except ber.Malformed:
            return "index cannot be decoded"
        octets = arcs if source.old else arcs[1:]
        if len(octets) == _OCTETS + 1 and octets[0] == _OCTETS:
            octets = octets[1:]  # some agents write the length of the address before it
        if len(octets) != _OCTETS or max(octets) > 0xFF:
            return "index holds no address of six octets"
        mac = MacAddress(int.from_bytes(bytes(octets), "big"))
        if mac in source.known:
            return ""
        code = number(status_value)
        status = Status.LEARNED if code is None else _STATUS.get(code, Status.OTHER)
        if code == _INVALID:
            return "status is invalid: aged out already"
        if mac.is_group:
            return "group addresses are no endpoints"
        if status is Status.LEARNED and mac in self.own:
            status = Status.SELF
        bridge_port = number(port_value)
        bridge_ports = self.bridge_ports if source.bridge_ports is None else source.bridge_ports
        if_index = bridge_ports.get(bridge_port) if bridge_port else None
        if not source.old and arcs[0] not in self.vlans_of_fdb and self.raw.broke("dot1qVlanCurrentTable"):
            return "VLAN not known: the walk of the VLANs broke off"
        vlan = source.vlan if source.old else self._vlan(arcs[0], bridge_port)
        if if_index is not None and is_endpoint(mac, status, bridged=True, own=self.own):
            self.learned.setdefault(key_of(mac, vlan), if_index)
            return ""
        port = self.names.get(if_index) if if_index is not None else None
        self.others.append(Entry(mac=mac, vlan=vlan, port=port, status=status))
        if status is not Status.LEARNED:
            return ""
        if bridge_port is None:
            return "rows have no port column"
        return (
            "port is 0: not known"
            if bridge_port == NO_PORT
            else f"bridge port {bridge_port} has no interface"
        )

    def _vlan(self, fdb_id: int, bridge_port: int | None) -> int | None:
        """The VLAN of a filtering database (dot1qFdbId is not a VLAN id, RFC 4363)."""
        vlans = self.vlans_of_fdb.get(fdb_id)
        if vlans is None:
            # No mapping offered: by far the most devices then number databases by VLAN.
            return fdb_id if not self.vlans_of_fdb and 1 <= fdb_id <= bounds.VLAN else None
        if len(vlans) == 1:
            return next(iter(vlans))
        # They share one database (802.1Q 8.8): the VLAN is known where the port carries one of them.
        carried = vlans & self.vlans_of_port.get(self.bridge_ports.get(bridge_port or NO_PORT, 0), set())
        return next(iter(carried)) if len(carried) == 1 else None


def vlans_of_fdb(raw: RawSwitch) -> dict[int, set[int]]:
    """dot1qVlanFdbId, indexed by (dot1qVlanTimeMark, VLAN): database id to its VLANs."""
    found: dict[int, set[int]] = defaultdict(set)
    for index, value in raw.column(mib.DOT1Q_VLAN_FDB_ID).items():
        vlan = index_number(index, position=1, length=2)
        fdb_id = number(value)
        if vlan and fdb_id is not None and 1 <= vlan <= bounds.VLAN:
            found[fdb_id].add(vlan)
    return dict(found)
