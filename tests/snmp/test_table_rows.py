"""Rows read in one go are what their variable bindings say one by one, whatever octets come."""

from hypothesis import example, given
from hypothesis import strategies as st

from kiteroll.snmp import ber
from kiteroll.snmp.message import (
    V2C,
    Binding,
    Pdu,
    PduType,
    RowReader,
    decode_message,
    encode_binding,
    encode_message,
)
from kiteroll.snmp.table_rows import TableRows

ENTRY = (1, 3, 6, 1, 2, 1, 17, 7, 1, 2, 2, 1)
indexes = st.lists(st.sampled_from((0, 1, 10, 127, 128, 129, 255, 256, 4094, 2**32 - 1)), max_size=8).map(
    tuple
)
values = st.one_of(
    st.integers(-(2**31), 2**32).map(ber.encode_int),
    st.binary(max_size=140).map(lambda octets: ber.encode(ber.OCTET_STRING, octets)),
    st.sampled_from(
        (ber.encode(ber.END_OF_MIB_VIEW, b""), ber.encode(ber.NO_SUCH_INSTANCE, b""), b"", b"\x02\x02\x01")
    ),
    st.just(ber.encode(ber.OCTET_STRING, ber.encode_oid(ENTRY))),
)
small = st.integers(0, 100).map(ber.encode_int)


def _decoded(data: bytes, rows: RowReader | None) -> Pdu | None:
    try:
        return decode_message(data, rows).pdu
    except ber.Malformed:
        return None


def _one_by_one(columns: list[bytes], pdu: Pdu) -> list[Binding]:
    if pdu.rows is None:
        return pdu.bindings
    assert not pdu.bindings
    by_column = [
        [(name + index, value) for index, value in found.items()]
        for name, found in zip(columns, pdu.rows, strict=True)
    ]
    return [binding for row in zip(*by_column, strict=True) for binding in row]


def _names(count: int) -> list[bytes]:
    return [ber.encode_oid((*ENTRY, column + 2)) for column in range(count)]


@given(
    st.integers(1, 3),
    st.lists(st.tuples(indexes, st.lists(values | small, min_size=3, max_size=3)), max_size=8),
    st.lists(st.tuples(st.integers(0, 10_000), st.integers(0, 255)), max_size=2),
)
@example(2, [((10, 2, 26, 1, 0, 0, 1), [ber.encode_int(3)] * 3)] * 2, [])
def test_rows_are_what_their_bindings_say(
    count: int, rows: list[tuple[ber.Oid, list[bytes]]], spoilt: list[tuple[int, int]]
) -> None:
    columns = _names(count)
    bindings = [
        encode_binding(name + ber.encode_arcs(index), value)
        for index, given_values in rows
        for name, value in zip(columns, given_values, strict=False)
    ]
    data = bytearray(encode_message(V2C, b"tarn", PduType.RESPONSE, 7, 0, 0, bindings))
    for at, octet in spoilt:
        data[at % len(data)] = octet
    plain, read = _decoded(bytes(data), None), _decoded(bytes(data), TableRows(columns).read)
    assert (read is None) == (plain is None)
    if read is not None and plain is not None:
        assert _one_by_one(columns, read) == plain.bindings


def test_the_rows_of_a_mac_address_table_are_read_in_one_go() -> None:
    columns = _names(2)
    rows = {ber.encode_arcs((10, 2, 26, 1, 0, 0xF7, last)): last for last in range(100, 124)}
    bindings = [
        encode_binding(name + index, ber.encode_int(number))
        for index, last in rows.items()
        for name, number in zip(columns, (last, 3), strict=True)
    ]
    data = encode_message(V2C, b"tarn", PduType.RESPONSE, 7, 0, 0, bindings)
    read = decode_message(data, TableRows(columns).read).pdu.rows
    assert read is not None and TableRows.can_read(columns)
    ports, statuses = read
    assert {index: ber.decode_int(value[1]) for index, value in ports.items()} == rows
    assert set(statuses.values()) == {(ber.INTEGER, b"\x03")} and list(statuses) == list(rows)
