"""Keys of SNMPv3 users, against the test vectors of the standards."""

import pytest

from kiteroll.snmp.usm import Auth, _key, _localized

PASSWORD = "maplesyrup"
ENGINE = bytes.fromhex("000000000000000000000002")


def test_sha1_keys_are_those_of_rfc_3414_a_3_2() -> None:
    assert _key(Auth.SHA1, PASSWORD).hex() == "9fb5cc0381497b3793528939ff788d5d79145211"
    assert _localized(Auth.SHA1, PASSWORD, ENGINE).hex() == "6695febc9288e36282235fc7151f128497b38f3f"


@pytest.mark.parametrize(("auth", "octets"), [("sha1", 12), ("sha256", 24), ("sha512", 48)])
def test_digests_are_cut_to_the_length_of_their_protocol(auth: str, octets: int) -> None:
    """RFC 3414 6.3.1 and RFC 7860 4.2.2."""
    assert Auth(auth).digest_octets == octets


def test_a_short_password_is_repeated_to_its_octet_and_another_engine_makes_another_key() -> None:
    assert _key(Auth.SHA256, "maplesyru") != _key(Auth.SHA256, PASSWORD)
    other = ENGINE[:-1] + b"\x03"
    assert _localized(Auth.SHA1, PASSWORD, other) != _localized(Auth.SHA1, PASSWORD, ENGINE)
