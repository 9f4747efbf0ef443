"""Homes over time, from stays and from when ports were uplinks."""

from datetime import datetime

import pytest

from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.stay import Place, Stay
from kiteroll.core.topology.home_history import homes_over_time
from kiteroll.core.topology.past_roles import PastRoles, Times
from kiteroll.core.topology.roles import PortRole, Role
from tests.support.factories import at, mac

A, B = ("quay-1", "p1"), ("quay-2", "p2")
UP = ("quay-1", "p24")


def _stay(port: PortRef, began: float, ended: float | None = None) -> Stay:
    return Stay(
        id=int(began * 10) + 1,
        mac=mac(1),
        place=Place(*port, 10),
        began_at=at(began),
        resumed_at=at(began),
        ended_at=None if ended is None else at(ended),
    )


def _minutes(instant: datetime | None) -> float | None:
    return None if instant is None else (instant - at(0)).total_seconds() / 60


@pytest.mark.parametrize(
    ("stays", "uplinks", "expected"),
    [
        ([_stay(A, 0)], {}, [(A, 0, None)]),
        ([_stay(A, 0), _stay(UP, 1)], {UP: [(at(-99), None)]}, [(A, 0, None)]),
        ([_stay(A, 0, 30), _stay(B, 20)], {}, [(A, 0, 20), (B, 20, None)]),
        ([_stay(A, 0, 10), _stay(A, 40, 50)], {}, [(A, 0, 10), (A, 40, 50)]),
        ([_stay(A, 0, 10), _stay(A, 10)], {}, [(A, 0, None)]),
        ([_stay(A, 0, 10.01), _stay(B, 5, 10)], {}, [(A, 0, 5), (B, 5, 10)]),
        ([_stay(A, 0, 10), _stay(B, 10, 10.01), _stay(A, 10.01)], {}, [(A, 0, None)]),
        ([_stay(UP, 0, 90)], {UP: [(at(30), at(60))]}, [(UP, 0, 30), (UP, 60, 90)]),
        ([_stay(UP, 0)], {UP: [(at(1), None)]}, []),
        ([_stay(UP, 0, 20)], {UP: [(at(30), None)]}, [(UP, 0, 20)]),
        ([], {}, []),
    ],
    ids=[
        "one place",
        "beside its uplink",
        "moved, and the old place lingers",
        "away in between",
        "learned again at once",
        "two switches that were read half a second apart",
        "elsewhere for half a second",
        "a port that was an uplink for a while",
        "an uplink that was known as one a minute later",
        "a port that became one afterwards",
        "never learned",
    ],
)
def test_homes_follow_the_stays_at_access_ports(
    stays: list[Stay],
    uplinks: dict[PortRef, Times],
    expected: list[tuple[PortRef, float, float | None]],
) -> None:
    found = homes_over_time(stays, PastRoles(uplinks))
    assert [
        ((one.place.switch, one.place.port), _minutes(one.since), _minutes(one.until)) for one in found
    ] == expected


def test_what_was_an_uplink_when_recording_began_is_taken_to_have_been_one_before() -> None:
    stays, uplinks = [_stay(A, 0), _stay(UP, 1)], {UP: [(at(500), None)]}
    first = homes_over_time(stays, PastRoles(uplinks))
    assert [one.place.port for one in first] == ["p1", "p24", "p1"]
    assert [one.place.port for one in homes_over_time(stays, PastRoles(uplinks, at(499)))] == ["p1"]
    assert homes_over_time(stays, PastRoles(uplinks, at(400))) == first, "it became one long after"


def test_homes_of_two_areas_overlap_in_time() -> None:
    stays = [_stay(("a", "p1"), 0, 30), _stay(("b", "p1"), 10), _stay(("a", "p1"), 40)]
    found = homes_over_time(stays, PastRoles({}), areas={"b": "island"})
    assert [(one.place.switch, one.since, one.until) for one in found] == [
        ("a", at(0), at(30)),
        ("b", at(10), None),
        ("a", at(40), None),
    ]
    assert len(homes_over_time(stays, PastRoles({}))) == 3
    assert homes_over_time(stays, PastRoles({}))[0].until == at(10)


@pytest.mark.parametrize(
    ("times", "now", "then"),
    [
        ([], Role.ACCESS, Role.ACCESS),
        ([(at(-99), at(60))], Role.ACCESS, Role.UPLINK),
        ([(at(1), at(60))], Role.ACCESS, Role.UPLINK),
        ([(at(60), None)], Role.UPLINK, Role.ACCESS),
        ([(at(20), None)], Role.UPLINK, Role.ACCESS),
        ([(at(-99), None)], Role.UPLINK, Role.UPLINK),
    ],
    ids=["never one", "until later", "known as one a minute later", "since later", "in part", "still one"],
)
def test_a_stay_that_is_over_was_at_a_port_with_the_role_of_then(times: Times, now: Role, then: Role) -> None:
    roles = PastRoles({UP: times} if times else {})
    found = roles.role(UP, at(0), at(30), PortRole(now, leads_to=("core-1",) if now is Role.UPLINK else ()))
    assert found.role is then
    assert bool(found.leads_to) is (now is then is Role.UPLINK)
