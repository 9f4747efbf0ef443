"""Evidence and details of findings as the records hold them: every kind comes back as it went in."""

import json
from dataclasses import fields
from datetime import UTC, datetime, timedelta
from typing import Any, get_args

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kiteroll.core.findings.evidence import Evidence, Learned
from kiteroll.core.findings.finding import Details
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.stay import Place
from kiteroll.store.finding_codec import decode_details, decode_evidence, encode_details, encode_evidence

KINDS = get_args(Evidence)
instants = st.integers(0, 10**12).map(
    lambda ms: datetime(2000, 1, 1, tzinfo=UTC) + timedelta(milliseconds=ms)
)
macs = st.integers(0, 2**48 - 1).map(MacAddress)
names = st.text(max_size=12)
refs = st.tuples(names, names)
st.register_type_strategy(MacAddress, macs)
st.register_type_strategy(datetime, instants)
st.register_type_strategy(Place, st.builds(Place, names, names, st.none() | st.integers(1, 4094)))
st.register_type_strategy(timedelta, st.integers(0, 10**6).map(lambda seconds: timedelta(seconds=seconds)))


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.__name__)
def test_every_kind_of_evidence_comes_back(kind: type[Any]) -> None:
    @given(st.lists(st.from_type(kind), min_size=1, max_size=3))
    def check(evidence: list[Any]) -> None:
        recorded = json.loads(json.dumps(encode_evidence(tuple(evidence))))
        assert decode_evidence(recorded) == tuple(evidence)

    check()


@given(st.from_type(Details))
def test_details_come_back_and_only_what_is_set_is_recorded(details: Details) -> None:
    recorded = json.loads(json.dumps(encode_details(details)))
    assert decode_details(recorded) == details
    assert set(recorded) <= {one.name for one in fields(Details)}


def test_what_is_recorded_is_readable() -> None:
    evidence = (Learned(datetime(2026, 5, 4, tzinfo=UTC), Place("quay-1", "p1", 10)),)
    (recorded,) = encode_evidence(evidence)
    assert "2026-05-04" in json.dumps(recorded) and "quay-1" in json.dumps(recorded)
    assert encode_details(Details()) == {}
