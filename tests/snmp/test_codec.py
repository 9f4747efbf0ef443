import pytest
from hypothesis import given
from hypothesis import strategies as st

from kiteroll.snmp import ber
from kiteroll.snmp.message import V2C, PduType, decode_message, encode_binding, encode_message, encode_request

arcs = st.lists(st.integers(0, 2**32 - 1), max_size=14).map(tuple)
oids = arcs.map(lambda tail: (1, 3, *tail))
values = st.tuples(st.sampled_from([ber.INTEGER, ber.OCTET_STRING, ber.NULL]), st.binary(max_size=300))


@given(oids)
def test_an_oid_comes_back_as_it_was(oid: ber.Oid) -> None:
    assert ber.decode_oid(ber.encode_oid(oid)) == oid


@pytest.mark.parametrize(
    "content",
    [b"\x90" * 60_000 + b"\x01", b"\x01" * 700, b"\x01" * 129, b"\x90\x80\x80\x80\x00", b"\x81"],
    ids=["endless arc", "700 octets", "129 arcs", "33 bits", "cut off"],
)
def test_an_oid_larger_than_the_standard_allows_is_malformed_at_once(content: bytes) -> None:
    """RFC 2578 section 3.5: at most 128 arcs of at most 2**32 - 1."""
    with pytest.raises(ber.Malformed):
        ber.decode_arcs(content)


def test_an_integer_longer_than_any_type_is_malformed() -> None:
    with pytest.raises(ber.Malformed):
        ber.decode_int(bytes(3000))


@given(st.integers(-(2**63), 2**64))
def test_an_integer_comes_back_as_it_was_in_the_fewest_octets(value: int) -> None:
    encoded = ber.encode_int(value)
    _, start, end = ber.read(encoded, 0)
    content = encoded[start:end]
    assert ber.decode_int(content) == value
    assert len(content) == 1 or content[0] not in (0, 0xFF) or (content[0] ^ content[1]) & 0x80


@given(
    st.binary(max_size=40), st.integers(-(2**31), 2**31 - 1), st.lists(st.tuples(oids, values), max_size=8)
)
def test_a_message_comes_back_as_it_was(
    community: bytes, request_id: int, bindings: list[tuple[ber.Oid, tuple[int, bytes]]]
) -> None:
    encoded = [encode_binding(ber.encode_oid(oid), ber.encode(*value)) for oid, value in bindings]
    message = decode_message(encode_message(V2C, community, PduType.RESPONSE, request_id, 0, 0, encoded))
    assert (message.version, message.community, message.pdu.request_id) == (V2C, community, request_id)
    assert message.pdu.bindings == [(ber.encode_oid(oid), value) for oid, value in bindings]


@given(st.binary(max_size=200))
def test_any_bytes_are_a_message_or_malformed_and_nothing_worse(data: bytes) -> None:
    try:
        decode_message(data)
    except ber.Malformed:
        pass


@given(st.integers(0, 120), st.integers(0, 255))
def test_a_damaged_message_is_malformed_or_another_message(position: int, octet: int) -> None:
    whole = bytearray(
        encode_request(V2C, b"tarn-read", PduType.GET_BULK, 7, [ber.encode_oid((1, 3, 6))] * 4, repetitions=9)
    )
    whole[position % len(whole)] = octet
    try:
        decode_message(bytes(whole))
    except ber.Malformed:
        pass


def test_a_get_request_is_the_bytes_the_standard_says() -> None:
    """Worked by hand from RFC 3416 and X.690: sysUpTime.0 with community `public`, request 1."""
    expected = "302602010104067075626c6963a01902010102010002010030 0e300c06082b060102010103000500".replace(
        " ", ""
    )
    request = encode_request(V2C, b"public", PduType.GET, 1, [ber.encode_oid((1, 3, 6, 1, 2, 1, 1, 3, 0))])
    assert request.hex() == expected


def test_a_message_cut_anywhere_is_malformed() -> None:
    whole = encode_request(V2C, b"public", PduType.GET, 1, [ber.encode_oid((1, 3, 6, 1, 2, 1, 1, 3, 0))])
    for length in range(len(whole)):
        with pytest.raises(ber.Malformed):
            decode_message(whole[:length])
