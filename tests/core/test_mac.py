import pytest
from hypothesis import given
from hypothesis import strategies as st

from kiteroll.core.errors import BadAddress
from kiteroll.core.model.mac import Fragment, MacAddress

macs = st.integers(0, 2**48 - 1).map(MacAddress)


@given(macs)
def test_every_notation_of_an_address_is_the_same_address(mac: MacAddress) -> None:
    d = mac.digits
    pairs = [d[at : at + 2] for at in range(0, 12, 2)]
    notations = [
        str(mac),
        "-".join(pairs).upper(),
        " ".join(pairs),
        f"{d[:4]}.{d[4:8]}.{d[8:]}",
        f"{d[:6]}-{d[6:]}",
        d.upper(),
        f"0x{d}",
        ":".join(f"{int(pair, 16):x}" for pair in pairs),
    ]
    assert {MacAddress.parse(text) for text in notations} == {mac}


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("", "empty"),
        ("02:1a:01", "6 hexadecimal digits"),
        ("02:1a:01:07:52:4e:00", "14 hexadecimal digits"),
        ("02:1a:01:07:52:4g", "'g' is not a hexadecimal digit"),
        ("02:1a:01:07:52_4e", "'_' is not"),
        ("0123456789", "10 hexadecimal digits"),
    ],
)
def test_a_text_that_is_no_address_is_refused_with_the_reason(text: str, why: str) -> None:
    with pytest.raises(BadAddress) as refused:
        MacAddress.parse(text)
    assert why in str(refused.value)


@given(macs, st.data())
def test_a_fragment_is_found_wherever_it_was_cut_out(mac: MacAddress, data: st.DataObject) -> None:
    start = data.draw(st.integers(0, 16))
    cut = str(mac)[start : data.draw(st.integers(start + 1, 17))]
    if cut.strip(":"):
        assert Fragment.parse(cut).matches(mac)


def test_a_group_without_its_leading_zero_gets_it_back_only_between_others() -> None:
    assert Fragment.parse("a:1:b2").digits == "a01b2"
    assert Fragment.parse("2a.3.").digits == "2a3"


def test_group_and_local_addresses_are_reported_by_their_bits() -> None:
    assert MacAddress.parse("01:80:c2:00:00:0e").is_group
    assert MacAddress.parse("ff:ff:ff:ff:ff:ff").is_group
    local = MacAddress.parse("02:1a:01:00:00:01")
    assert local.is_local and not local.is_group
    assert MacAddress.parse("00:00:5e:00:53:01").is_universal
