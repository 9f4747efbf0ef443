"""What goes over the bus: sealed for one, understood or refused, and counted."""

import zlib
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from kiteroll.bus import names, server_config
from kiteroll.bus.messages import Sent, Targets, decode, encode, read_of, result_of
from kiteroll.bus.packed import LearnedRows, packed, unpacked
from kiteroll.bus.sealing import PrivateKey, check_public_key, seal
from kiteroll.collect.poller import PollResult
from kiteroll.collector.kept_targets import TargetStore
from kiteroll.core.errors import DeviceLied, DeviceRefused, DeviceSilent, Invalid, KiteRollError
from kiteroll.core.model.reading import Entry, Status
from tests.support.factories import mac, reading

NOW = datetime(2026, 5, 4, 12, 0, tzinfo=UTC)


def test_what_is_sealed_opens_for_its_collector_alone(tmp_path: Path) -> None:
    key, other = PrivateKey(tmp_path / "a"), PrivateKey(tmp_path / "b")
    sealed = seal(key.public, "island-1", b"community: tarn")
    assert b"tarn" not in sealed and key.open("island-1", sealed) == b"community: tarn"
    assert PrivateKey(tmp_path / "a").open("island-1", sealed) == b"community: tarn", "the key is kept"
    assert (tmp_path / "a").stat().st_mode & 0o077 == 0
    for opener, name, changed in (
        (other, "island-1", sealed),
        (key, "island-2", sealed),
        (key, "island-1", sealed[:-1] + bytes([sealed[-1] ^ 1])),
        (key, "island-1", sealed[:20]),
    ):
        with pytest.raises(Invalid):
            opener.open(name, changed)
    with pytest.raises(Invalid, match="kiteroll collector key"):
        check_public_key("no key at all")


@pytest.mark.parametrize(
    "outcome",
    [
        DeviceSilent("192.0.2.1:161", "no answer"),
        DeviceRefused("192.0.2.1:161", "wrong name"),
        DeviceLied("192.0.2.1:161", "no BER"),
        KiteRollError("a bug"),
    ],
)
def test_a_failure_is_the_same_on_the_other_side(outcome: KiteRollError) -> None:
    sent = PollResult(
        switch=3,
        name="quay-1",
        started_at=NOW,
        duration=timedelta(seconds=2),
        outcome=outcome,
        next_due_at=NOW,
    )
    came = result_of(decode(Sent, encode(Sent(read=read_of(sent)))).read)  # type: ignore[arg-type]
    assert type(came.outcome) is type(outcome) and str(came.outcome) == str(outcome)
    assert (came.switch, came.started_at, came.duration, came.next_due_at) == (3, NOW, sent.duration, NOW)


TABLES = st.dictionaries(
    st.tuples(st.integers(0, 300), st.integers(0, 4094)), st.sampled_from([f"p{n}" for n in range(1, 25)])
)


@given(TABLES, st.booleans())
def test_a_reading_is_the_same_on_the_other_side(
    learned: dict[tuple[int, int], str], as_packed: bool
) -> None:
    router = Entry(mac=mac(7), vlan=10, port="p3", status=Status.SELF)
    taken = replace(reading(0, learned), others=(router,))
    sent = PollResult(
        switch=3, name=taken.switch, started_at=taken.taken_at, duration=timedelta(0), outcome=taken
    )
    read = decode(Sent, encode(Sent(read=read_of(sent, as_packed=as_packed)))).read
    assert read is not None and (read.packed is not None) == as_packed
    assert result_of(read).outcome == taken
    with pytest.raises(Invalid, match="another switch"):
        result_of(read.model_copy(update={"name": "core-1"}))
    with pytest.raises(Invalid, match="neither"):
        result_of(read.model_copy(update={"reading": None, "packed": None}))


@pytest.mark.parametrize(
    ("port", "keys", "why"),
    [
        (99, "000a021a01000001", "none of the document's ports"),
        (1, "000a031a01000001", "of a group"),
        (1, "0fff021a01000001", "no VLAN"),
        (1, "ffff021a01000001", "no VLAN"),
    ],
)
def test_a_packed_reading_that_contradicts_itself_is_refused(port: int, keys: str, why: str) -> None:
    made = packed(reading(0, {})).model_copy(update={"learned": [LearnedRows(port=port, keys=keys)]})
    with pytest.raises(Invalid, match=why):
        unpacked(made)


@pytest.mark.parametrize("keys", ["000a021a0100000", "000a021a0100000g", "000A021A01000001"])
def test_addresses_that_are_none_are_no_packed_ones(keys: str) -> None:
    with pytest.raises(ValidationError):
        LearnedRows(port=1, keys=keys)


@given(st.binary(max_size=200))
def test_what_is_no_message_is_refused(data: bytes) -> None:
    for one in (data, zlib.compress(data)):
        with pytest.raises(Invalid):
            decode(Targets, one)


@given(st.text(min_size=1, max_size=64), st.text(min_size=1, max_size=64))
def test_every_site_is_one_token_of_its_own(site: str, other: str) -> None:
    token = names.site_token(site)
    assert (token.isascii() and token.replace("_", "").isalnum()) or token == "_"
    assert names.token_of(names.readings(token)) == token
    assert site == other or token != names.site_token(other)


def test_targets_that_were_sent_before_are_not_taken_again(tmp_path: Path) -> None:
    store = TargetStore.open(tmp_path, "island-1", "Island")

    def made(at: datetime, site: str = "Island") -> bytes:
        plain = encode(Targets(targets="1", made_at=at, site=site, switches=[]))
        return seal(store.key.public, "island-1", plain)

    assert store.read() is None
    now = store.accept(made(NOW), None)
    assert store.accept(made(NOW + timedelta(seconds=1)), now).made_at > NOW
    assert store.read() == store.accept(made(NOW + timedelta(seconds=1)), now)
    with pytest.raises(Invalid, match="older"):
        store.accept(made(NOW - timedelta(seconds=1)), now)
    with pytest.raises(Invalid, match="of site 'Quays'"):
        store.accept(made(NOW, "Quays"), None)


def test_a_site_may_publish_on_its_own_subjects_alone() -> None:
    text = server_config.centre(["Island", "Quays"])
    island = next(part for part in text.split("user: ") if part.startswith("Island"))
    assert "kiteroll.Island.status" in island and "Quays" not in island.split("user: ")[0]


def test_one_of_several_servers_at_the_centre_knows_the_others() -> None:
    text = server_config.centre(["Island"], tls="/etc/tls", member=server_config.Member("nats1", 2))
    assert "server_name: kiteroll-nats1" in text
    assert "routes = [ $KITEROLL_OTHER_1, $KITEROLL_OTHER_2 ]" in text
    assert text.count("ca_file") == 1  # they make sure of each other
    assert 'listen: "0.0.0.0:4222"' in text  # the service reaches all of them


def test_a_message_engine_is_for_its_own_machine_unless_it_is_configured_otherwise() -> None:
    for make in (partial(server_config.centre, ["Island"]), partial(server_config.site, "Island")):
        assert 'listen: "127.0.0.1:4222"' in make()
        assert 'listen: "10.77.0.1:4222"' in make(listen="10.77.0.1:4222")
