"""What devices answer, and what it means: each deviation seen in the field is a case."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import pytest

from kiteroll.collect.assemble import assemble
from kiteroll.collect.exchange import ExchangeEnd
from kiteroll.collect.fdb import late_rows
from kiteroll.collect.raw import RawSwitch
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Entry, Oper, Reading, Status, key_of
from kiteroll.schemas.reading_convert import from_document, to_document
from kiteroll.snmp import ber, mib
from kiteroll.snmp.message import Value
from tests.support.factories import NOON

A = MacAddress.parse("02:1a:01:00:00:0a")
B = MacAddress.parse("02:1a:01:00:00:0b")
OWN = MacAddress.parse("02:1a:f0:00:01:00")
ARCS = tuple(A.to_bytes(6, "big"))


def _int(value: int) -> Value:
    return ber.INTEGER, value.to_bytes(4, "big", signed=True)


def _text(value: bytes) -> Value:
    return ber.OCTET_STRING, value


Columns = dict[ber.Oid, Mapping[tuple[int, ...], Value]]


@dataclass
class Device:
    """A switch with two interfaces 101 and 102, bridge ports 1 and 2, unless given otherwise."""

    columns: Columns = field(default_factory=dict)
    broke: tuple[str, ...] = ()

    def reading(self) -> Reading:
        columns: Columns = {
            mib.IF_NAME: {(101,): _text(b"p1"), (102,): _text(b"p2")},
            mib.IF_OPER_STATUS: {(101,): _int(1), (102,): _int(2)},
            mib.DOT1D_BASE_PORT_IF_INDEX: {(1,): _int(101), (2,): _int(102)},
            **self.columns,
        }
        raw = RawSwitch(switch="quay-1", taken_at=NOON)
        raw.scalars = {mib.DOT1D_BASE_BRIDGE_ADDRESS: _text(OWN.to_bytes(6, "big"))}
        raw.columns = {
            oid: {ber.encode_arcs(index): value for index, value in rows.items()}
            for oid, rows in columns.items()
        }
        raw.ends = {table: (ExchangeEnd("no answer"), 1) for table in self.broke}
        return assemble(raw)


def _fdb(rows: dict[tuple[int, ...], int], status: int | None = 3) -> Columns:
    found: Columns = {mib.DOT1Q_TP_FDB_PORT: {index: _int(port) for index, port in rows.items()}}
    if status is not None:
        found[mib.DOT1Q_TP_FDB_STATUS] = {index: _int(status) for index in rows}
    return found


def test_bridge_ports_lead_to_interfaces_and_their_names() -> None:
    reading = Device(_fdb({(10, *ARCS): 2})).reading()
    assert list(reading.entries()) == [Entry(mac=A, vlan=10, port="p2", status=Status.LEARNED)]
    assert [port.oper for port in reading.ports] == [Oper.UP, Oper.DOWN]
    assert reading.complete


def test_without_a_table_of_base_ports_the_numbers_are_taken_as_interfaces() -> None:
    reading = Device({**_fdb({(10, *ARCS): 101}), mib.DOT1D_BASE_PORT_IF_INDEX: {}}).reading()
    assert reading.learned == {key_of(A, 10): 101}


@pytest.mark.parametrize(
    ("fdb_ids", "vlan"),
    [
        ({(0, 300): 10}, 300),  # database 10 is VLAN 300
        ({(0, 300): 11, (0, 10): 12}, None),  # a mapping is offered, and does not know it
        ({}, 10),  # none offered: taken as the VLAN
    ],
)
def test_the_database_id_is_mapped_to_its_vlan(fdb_ids: dict[tuple[int, ...], int], vlan: int | None) -> None:
    mapping = {index: _int(value) for index, value in fdb_ids.items()}
    reading = Device({**_fdb({(10, *ARCS): 1}), mib.DOT1Q_VLAN_FDB_ID: mapping}).reading()
    assert [entry.vlan for entry in reading.entries()] == [vlan]


def test_vlans_that_share_a_database_are_told_apart_where_a_port_carries_only_one_of_them() -> None:
    shared: Columns = {
        mib.DOT1Q_VLAN_FDB_ID: {(0, 20): _int(1), (0, 30): _int(1)},
        mib.DOT1Q_PVID: {(1,): _int(30), (2,): _int(30)},
        mib.DOT1Q_VLAN_STATIC_EGRESS_PORTS: {(20,): _text(b"\x40"), (30,): _text(b"\xc0")},
        mib.DOT1Q_VLAN_STATIC_UNTAGGED_PORTS: {(20,): _text(b"\x00"), (30,): _text(b"\xc0")},
    }
    known = Device({**_fdb({(1, *ARCS): 1}), **shared}).reading()
    trunk = Device({**_fdb({(1, *ARCS): 2}), **shared}).reading()
    assert [entry.vlan for entry in known.entries()] == [30]
    assert [entry.vlan for entry in trunk.entries()] == [None], "its default VLAN says nothing of the others"


@pytest.mark.parametrize("status", [1, 5])
def test_an_address_that_a_port_admitted_is_there_though_its_row_was_not_learned(status: int) -> None:
    group, own = (1, 0, 0x5E, 0, 0, 1), tuple(OWN.to_bytes(6, "big"))
    rows = {(10, *ARCS): 1, (10, *group): 1, (10, *own): 1}
    reading = Device(_fdb(rows, status=status)).reading()
    assert reading.learned == {key_of(A, 10): 101}
    again = from_document(to_document(reading))
    assert again.learned == reading.learned and len(again.others) == len(reading.others)


def test_rows_at_a_member_of_a_bundle_are_at_the_bundle() -> None:
    reading = Device(
        {
            **_fdb({(10, *ARCS): 1}),
            mib.IF_NAME: {(101,): _text(b"p1"), (102,): _text(b"p2"), (900,): _text(b"bundle")},
            mib.DOT3AD_AGG_PORT_ATTACHED: {(101,): _int(900), (102,): _int(900)},
        }
    ).reading()
    assert [entry.port for entry in reading.entries()] == ["bundle"]


def test_a_status_column_that_is_missing_means_learned_but_for_its_own_addresses() -> None:
    own = tuple(OWN.to_bytes(6, "big"))
    reading = Device(_fdb({(10, *ARCS): 1, (10, *own): 1}, status=None)).reading()
    assert [(entry.mac, entry.status) for entry in reading.entries()] == [
        (A, Status.LEARNED),
        (OWN, Status.SELF),
    ]


@pytest.mark.parametrize(
    ("rows", "status", "why"),
    [
        ({(10, *ARCS): 0}, 3, "port is 0"),
        ({(10, *ARCS): 7}, 3, "bridge port 7 has no interface"),
        ({(10, 0x01, 0x80, 0xC2, 0, 0, 0x0E): 1}, 3, "group addresses"),
        ({(10, *ARCS): 1}, 2, "aged out already"),
        ({(10, 1, 2, 3): 1}, 3, "no address of six octets"),
        ({(10, 300, 2, 3, 4, 5, 6): 1}, 3, "no address of six octets"),
    ],
)
def test_rows_that_are_no_endpoint_at_a_port_are_left_out_and_counted(
    rows: dict[tuple[int, ...], int], status: int, why: str
) -> None:
    reading = Device(_fdb(rows, status)).reading()
    assert not reading.learned
    (gap,) = reading.gaps
    assert why in gap.why and gap.rows == 1 and reading.complete


def test_an_index_that_holds_the_length_of_the_address_is_understood() -> None:
    assert Device(_fdb({(10, 6, *ARCS): 1})).reading().learned == {key_of(A, 10): 101}


@pytest.mark.parametrize(
    ("code", "port", "status"), [(4, 1, Status.SELF), (5, 0, Status.STATIC), (1, 0, Status.OTHER)]
)
def test_own_addresses_and_those_without_a_port_are_kept_but_are_no_endpoints(
    code: int, port: int, status: Status
) -> None:
    reading = Device(_fdb({(10, *ARCS): port}, code)).reading()
    assert not reading.learned and [entry.status for entry in reading.others] == [status]


def test_the_old_table_alone_gives_addresses_without_a_vlan() -> None:
    reading = Device(
        {mib.DOT1D_TP_FDB_PORT: {ARCS: _int(1)}, mib.DOT1D_TP_FDB_STATUS: {ARCS: _int(3)}}
    ).reading()
    assert list(reading.entries()) == [Entry(mac=A, vlan=None, port="p1", status=Status.LEARNED)]


def test_both_tables_together_are_one_and_the_one_with_vlans_is_believed() -> None:
    b = tuple(B.to_bytes(6, "big"))
    old: Columns = {mib.DOT1D_TP_FDB_PORT: {ARCS: _int(2), b: _int(2)}}
    reading = Device({**_fdb({(10, *ARCS): 1}), **old}).reading()
    assert reading.learned == {key_of(A, 10): 101, key_of(B, None): 102}


def test_a_few_addresses_of_the_old_table_alone_are_asked_for_by_name_in_the_other() -> None:
    raw = RawSwitch(switch="quay-1", taken_at=NOON)
    raw.columns = {
        mib.DOT1Q_TP_FDB_PORT: {ber.encode_arcs((10, *ARCS)): _int(1)},
        mib.DOT1D_TP_FDB_PORT: {ber.encode_arcs((2, 26, 1, 0, 0, row)): _int(1) for row in range(9, 12)},
    }
    asked = late_rows(raw)
    assert {oid[len(mib.DOT1Q_TP_FDB_PORT) :] for oid in asked} == {
        (10, 2, 26, 1, 0, 0, 9),
        (10, 2, 26, 1, 0, 0, 11),
    }
    raw.columns[mib.DOT1D_TP_FDB_PORT] = {
        ber.encode_arcs((2, 26, 1, 0, 0, row)): _int(1) for row in range(100)
    }
    assert late_rows(raw) == []


def test_a_walk_of_names_that_broke_off_leaves_ports_out_rather_than_rename_them() -> None:
    names: Columns = {
        mib.IF_NAME: {(101,): _text(b"p1")},
        mib.IF_DESCR: {(101,): _text(b"Ethernet 1"), (102,): _text(b"Ethernet 2")},
    }
    reading = Device({**_fdb({(10, *ARCS): 2}), **names}, broke=("ifXTable",)).reading()
    assert [port.name for port in reading.ports] == ["p1"]
    assert not reading.learned and not reading.complete


def test_a_walk_of_vlans_that_broke_off_leaves_rows_out_rather_than_misplace_them() -> None:
    mapping: Columns = {mib.DOT1Q_VLAN_FDB_ID: {(0, 300): _int(10)}}
    both = _fdb({(10, *ARCS): 1, (11, *B.to_bytes(6, "big")): 1})
    reading = Device({**both, **mapping}, broke=("dot1qVlanCurrentTable",)).reading()
    assert reading.learned == {key_of(A, 300): 101}


def test_names_that_are_empty_doubled_or_oddly_encoded_still_tell_ports_apart() -> None:
    names: Columns = {mib.IF_NAME: {(101,): _text(b"p\xe9\x00"), (102,): _text(b"p\xe9"), (103,): _text(b"")}}
    reading = Device({**names, mib.IF_OPER_STATUS: {(103,): _int(1)}}).reading()
    assert [port.name for port in reading.ports] == ["pé #101", "pé #102", "port 103"]


def test_neighbour_caches_report_which_ip_answers_for_which_address() -> None:
    hexed = A.to_bytes(6, "big")
    caches: Columns = {
        mib.IP_NET_TO_MEDIA_PHYS_ADDRESS: {
            (1, 10, 20, 0, 7): _text(hexed),
            (1, 10, 20, 0, 8): _text(bytes(6)),
            (1, 10, 20, 0, 300): _text(hexed),
        },
        mib.IP_NET_TO_PHYSICAL_PHYS_ADDRESS: {
            (1, 1, 4, 10, 20, 0, 9): _text(B.to_bytes(6, "big")),
            (1, 2, 16, 0xFD, 0x77, *[0] * 13, 1): _text(hexed),
            (1, 4, 20, 0xFE, 0x80, *[0] * 13, 1, 0, 0, 0, 5): _text(hexed),
            (1, 2, 15, *[1] * 15): _text(hexed),
        },
    }
    reading = Device(caches).reading()
    assert reading.addresses == {"10.20.0.7": A, "10.20.0.9": B, "fd77::1": A, "fe80::1": A}


def test_names_of_ports_are_unique_whatever_the_switch_calls_them() -> None:
    names = {(1,): b"p", (2,): b"p", (3,): b"p #1", (4,): b"p #1 #1", (5,): b"p #3"}
    reading = Device({mib.IF_NAME: {index: _text(name) for index, name in names.items()}}).reading()
    assert len({port.name for port in reading.ports}) == len(reading.ports) == 7


def test_a_neighbour_whose_port_is_a_superscript_digit_is_one_without_a_port_of_ours() -> None:
    device = Device(
        {
            mib.LLDP_REM_CHASSIS_ID: {(0, 9, 1): _text(b"cabin")},
            mib.LLDP_LOC_PORT_ID: {(9,): _text("\u00b2".encode())},
        }
    )
    assert device.reading().neighbours == ()


def test_a_number_out_of_its_types_range_is_none() -> None:
    raw = RawSwitch(switch="quay-1", taken_at=NOON)
    raw.scalars = {
        mib.SYS_UP_TIME: (ber.COUNTER64, b"\x00" + b"\xff" * 8),
        mib.DOT1D_STP_TIME_SINCE_TOPOLOGY_CHANGE: (ber.COUNTER64, b"\x00" + b"\xff" * 8),
        mib.DOT1D_STP_TOP_CHANGES: _int(3),
        mib.DOT1D_TP_LEARNED_ENTRY_DISCARDS: (ber.INTEGER, bytes(3000)),
    }
    device = assemble(raw).device
    assert (device.uptime_ticks, device.topology_changed_at, device.learning_discards) == (None, None, None)


def test_a_switch_without_interfaces_is_not_a_complete_one() -> None:
    reading = assemble(RawSwitch(switch="quay-1", taken_at=NOON))
    assert [(gap.table, gap.breaks) for gap in reading.gaps] == [("ifTable", True)]
