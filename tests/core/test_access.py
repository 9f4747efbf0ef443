"""Rights and the chain of the audit log."""

from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kiteroll.core.access.audit_chain import FIELDS, FIRST, digest, verify
from kiteroll.core.access.principal import NotAllowed, Principal
from kiteroll.core.access.rights import Right, Role, narrowed, rights_of

Entry = dict[str, Any]


def chained(values: list[Any]) -> list[Entry]:
    entries, last = [], FIRST
    for number, value in enumerate(values, start=1):
        entry: Entry = {**dict.fromkeys(FIELDS, ""), "number": number, "after": value, "digest_before": last}
        last = entry["digest"] = digest(last, entry)
        entries.append(entry)
    return entries


plain = st.recursive(
    st.none() | st.booleans() | st.integers() | st.text(max_size=20),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=5), inner, max_size=3),
    max_leaves=8,
)


@given(st.lists(plain, min_size=3, max_size=12), st.data())
def test_whatever_is_done_to_a_log_shows(values: list[Any], data: st.DataObject) -> None:
    whole = chained(values)
    assert (verify(whole).broken_at, verify(whole).last) == (None, whole[-1]["digest"])
    at = data.draw(st.integers(0, len(whole) - 2))
    changed = [dict(one) for one in whole]
    changed[at]["by"] = "somebody else"
    assert verify(changed).broken_at == at + 1
    changed[at]["digest"] = digest(changed[at]["digest_before"], changed[at])
    assert verify(changed).broken_at == at + 2, "the next one does not follow it any more"
    assert verify(whole[:at] + whole[at + 1 :]).broken_at == (at + 2 if at else None), "one is missing"
    swapped = [*whole[:at], whole[at + 1], whole[at], *whole[at + 2 :]]
    assert verify(swapped).broken_at is not None


def test_an_export_from_the_middle_on_is_checked_from_there() -> None:
    assert verify(chained(["a", "b", "c", "d"])[2:]).broken_at is None


def person(role: Role = Role.OPERATOR, **values: Any) -> Principal:
    given = {"account": 1, "name": "ida", "role": role, "rights": rights_of(role), **values}
    return Principal(**given)


@pytest.mark.parametrize(
    ("attempt", "reported"),
    [
        (lambda: person().require(Right.ADMINISTER), "ida is operator and does not have the right"),
        (lambda: person(Role.ADMINISTRATOR).require(Right.ACT_ON_PORTS), "does not have the right"),
        (lambda: person(must_change_password=True).require(Right.VIEW), "change it before anything else"),
        (
            lambda: person(token="night", rights=narrowed(rights_of(Role.OPERATOR), ())).require(
                Right.OPERATE
            ),
            "the token 'night' of ida does not carry",
        ),
        (
            lambda: person(sites=frozenset({"Quays"})).require_site("Hall", "quay-9"),
            "quay-9 is at the site Hall",
        ),
        (lambda: person(sites=frozenset({"Quays"})).require_every_site("this"), "not of one site"),
    ],
)
def test_whoever_may_not_is_answered_why(attempt: Callable[[], None], reported: str) -> None:
    with pytest.raises(NotAllowed, match=reported):
        attempt()


def test_a_token_carries_no_more_than_its_owner_may_now() -> None:
    scopes = {Right.OPERATE, Right.ADMINISTER}
    assert narrowed(rights_of(Role.VIEWER), scopes) == {Right.VIEW}
    assert narrowed(rights_of(Role.OPERATOR), scopes) == {Right.VIEW, Right.OPERATE}
    person(sites=frozenset({"Quays"})).require_site("Quays", "quay-1")
    person(must_change_password=True).require(Right.ACCOUNT)
