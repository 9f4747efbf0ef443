"""Addresses out of encoded indexes: those that are one, and nothing else."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kiteroll.snmp import ber
from kiteroll.snmp.mac_index import mac_of_index


@given(st.binary(min_size=6, max_size=6))
def test_an_address_comes_back_from_its_index(octets: bytes) -> None:
    assert mac_of_index(ber.encode_arcs(octets)) == int.from_bytes(octets, "big")


@given(st.binary(max_size=14))
def test_what_is_taken_for_an_address_is_the_index_of_one(encoded: bytes) -> None:
    mac = mac_of_index(encoded)
    assert mac is None or ber.encode_arcs(mac.to_bytes(6, "big")) == encoded


@pytest.mark.parametrize(
    "encoded",
    [
        b"",
        b"\x01" * 5,
        b"\x01" * 7,
        b"\x01" * 5 + b"\x81",
        b"\x82\x01" + b"\x01" * 5,
        b"\x80\x01" + b"\x01" * 5,
    ],
)
def test_any_other_index_is_none(encoded: bytes) -> None:
    assert mac_of_index(encoded) is None
