"""One address asked for alone, from switches of every kind, over real SNMP."""

import asyncio
from dataclasses import replace
from datetime import timedelta

import pytest

from kiteroll.clock import SystemClock
from kiteroll.collect.address_probe import probe_address
from kiteroll.collect.credential import make_target
from kiteroll.collect.limits import Limits
from kiteroll.collect.snmp_reader import read_switch
from kiteroll.collect.walk_cache import WalkCache
from kiteroll.core.model.changes import Moved
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import mac_of, vlan_of
from kiteroll.core.tracking.tracker import Tracker
from tests.support.harness import Lab

NOBODY = MacAddress(0x021A99000001)


@pytest.mark.parametrize(
    "name", ["core-1", "checkin-east", "checkin-west", "port-office", "weighbridge", "baggage-hall"]
)
def test_a_switch_reports_the_port_of_one_address_as_its_table_does(lab: Lab, name: str) -> None:
    target = make_target(lab.switches[name], lab.port, lab.access[name].model_dump(exclude_none=True))
    clock, limits = SystemClock(), Limits(timeout_s=1)

    async def run() -> None:
        habits = WalkCache()
        reading = await read_switch(name, target, clock, limits, habits)
        assert habits.rows is not None
        names = reading.port_names()
        keys = sorted(reading.learned)[:: max(1, len(reading.learned) // 8)]
        reported = 0
        for key in keys:
            seen = await probe_address(name, target, habits.rows, mac_of(key), vlan_of(key), clock, limits)
            if seen is None:
                continue  # it aged out in between
            reported += 1
            assert not seen.complete
            assert seen.port_names()[seen.learned[key]] == names[reading.learned[key]]
        assert reported >= len(keys) - 2
        assert await probe_address(name, target, habits.rows, NOBODY, 10, clock, limits) is None

    asyncio.run(run())


def test_what_a_glimpse_reports_moves_the_address_and_nothing_else(lab: Lab) -> None:
    name = "quay-1"
    target = make_target(lab.switches[name], lab.port, lab.access[name].model_dump(exclude_none=True))
    clock, limits = SystemClock(), Limits(timeout_s=1)

    async def run() -> None:
        habits = WalkCache()
        reading = await read_switch(name, target, clock, limits, habits)
        tracker = Tracker()
        tracker.apply(reading)
        key, number = next(iter(reading.learned.items()))
        assert habits.rows is not None
        seen = await probe_address(name, target, habits.rows, mac_of(key), vlan_of(key), clock, limits)
        assert seen is not None and tracker.apply(seen) == (), "it is where it was"
        other = next(port for port in reading.ports if port.number != number)
        later = replace(
            seen,
            taken_at=seen.taken_at + timedelta(seconds=3),
            ports=(other,),
            learned={key: other.number},
        )
        (change,) = tracker.apply(later)
        assert isinstance(change, Moved) and change.place.port == other.name
        assert tracker.tracked() == len(reading.learned)

    asyncio.run(run())
