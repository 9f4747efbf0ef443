"""Every way in which switches differ, over real UDP: the reading is right, or says what it lacks."""

import asyncio
from collections.abc import Awaitable, Callable
from dataclasses import replace
from typing import Any

import pytest

from kiteroll.clock import SystemClock
from kiteroll.collect.limits import Limits
from kiteroll.collect.raw import RawSwitch
from kiteroll.collect.snmp_client import Target
from kiteroll.collect.snmp_reader import read_switch
from kiteroll.collect.walk_cache import OLD_TABLE_EVERY, WalkCache
from kiteroll.core.errors import DeviceRefused, DeviceSilent
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading import Reading, Status, key_of, mac_of, vlan_of
from kiteroll.lab import tarn_ferries
from kiteroll.lab.notifier import LAB_USER
from kiteroll.lab.site import Site
from kiteroll.lab.switch import LabSwitch
from kiteroll.lab.traits import AGGREGATE_INDEX, Traits
from kiteroll.snmp import mib
from kiteroll.snmp.message import V1
from kiteroll.snmp.usm import Auth, User
from tests.support.ports import free_udp_port

CLOCK = SystemClock()
QUICK = Limits(timeout_s=0.3, tries=3, total_s=20)
NAME = "quay-1"


def read(traits: Traits, limits: Limits = QUICK, **target: Any) -> tuple[Reading, LabSwitch]:
    """Read one switch of the demo that has these traits."""

    async def work(site: Site, switch: LabSwitch) -> Reading:
        values = {"host": switch.address, "port": site.farm.port, "community": "tarn-read", **target}
        return await read_switch(NAME, Target(**values), CLOCK, limits)

    return with_site(traits, work)


def read_twice(traits: Traits, limits: Limits = QUICK) -> tuple[Reading, Reading, LabSwitch]:
    """Read it, and again after it forgot, moved and learned an address: with what is remembered of it, and
    without."""

    async def work(site: Site, switch: LabSwitch) -> tuple[Reading, Reading]:
        target = Target(host=switch.address, port=site.farm.port, community="tarn-read")
        cache = WalkCache()
        await read_switch(NAME, target, CLOCK, limits, cache)
        (gone, _), (moved, row), *_ = switch.fdb.items()
        del switch.fdb[gone]
        switch.fdb[moved] = replace(row, port=next(port for port in switch.ports if port != row.port))
        switch.fdb[moved[0], MacAddress(0x021A00C0FFEE)] = row
        return (
            await read_switch(NAME, target, CLOCK, limits, cache),
            await read_switch(NAME, target, CLOCK, limits),
        )

    (again, anew), switch = with_site(traits, work)
    return again, anew, switch


def with_site(traits: Traits, work: Callable[[Site, LabSwitch], Awaitable[Any]]) -> Any:
    async def run() -> Any:
        site = Site(tarn_ferries.build(traits={}), CLOCK, port=free_udp_port())
        switch = site.world.switches[NAME]
        switch.traits = traits
        site.open()
        with site.farm:
            return await work(site, switch), switch

    return asyncio.run(run())


def truth(switch: LabSwitch) -> dict[int, int]:
    """What its table really holds: key to interface."""
    return {
        key_of(mac, vlan): row.port
        for (vlan, mac), row in switch.fdb.items()
        if not switch.ports[row.port].inner
    }


@pytest.mark.parametrize(
    "traits",
    [
        Traits(),
        Traits(database_offset=1000),
        Traits(maps_databases=False),
        Traits(bridge_port_offset=64),
        Traits(maps_ports=False),
        Traits(old_table=False),
        Traits(status_column=False),
        Traits(length_in_index=True),
        Traits(time_filter_marks=200),
        Traits(delay_s=0.02),
        Traits(loss=0.1),
        Traits(most_bindings=7),
        Traits(most_bindings=1),
    ],
    ids=str,
)
def test_the_whole_table_is_read_whatever_the_switch_is_like(traits: Traits) -> None:
    # Ten per cent of datagrams lost: more tries, or one reading in some hundred would be partial.
    reading, switch = read(traits, replace(QUICK, timeout_s=0.15, tries=6))
    assert reading.complete, reading.gaps
    assert dict(reading.learned) == truth(switch)


@pytest.mark.parametrize(
    "traits",
    [
        Traits(),
        Traits(vlan_table=False),
        Traits(status_column=False),
        Traits(length_in_index=True, database_offset=1000),
        Traits(aggregate=frozenset({3, 4})),
        Traits(zero_ports=frozenset({2}), unmapped_ports=frozenset({3})),
        Traits(most_bindings=7),
    ],
    ids=str,
)
def test_what_is_remembered_of_a_switch_makes_no_difference(traits: Traits) -> None:
    again, anew, switch = read_twice(traits)
    assert again.complete and anew.complete
    for field in ("ports", "vlans", "learned", "others", "gaps", "neighbours", "addresses"):
        assert getattr(again, field) == getattr(anew, field), field
    assert len(switch.fdb) > 10


def test_the_old_table_alone_gives_places_without_vlans() -> None:
    reading, switch = read(Traits(vlan_table=False))
    expected = {mac_of(key): port for key, port in truth(switch).items()}
    assert {mac_of(key): port for key, port in reading.learned.items()} == expected
    assert all(key < 1 << 48 for key in reading.learned)


def test_version_1_reads_every_trait_too() -> None:
    reading, switch = read(Traits(database_offset=100, bridge_port_offset=32), version=V1)
    assert reading.complete and dict(reading.learned) == truth(switch)


def test_a_shared_database_leaves_the_vlan_to_ports_that_carry_only_one() -> None:
    reading, switch = read(Traits(shared_database=7))
    assert {mac_of(key): port for key, port in reading.learned.items()} == {
        mac_of(key): port for key, port in truth(switch).items()
    }
    carried = {
        number: [vlan for vlan in switch.vlans if port.carries(vlan)] for number, port in switch.ports.items()
    }
    reported = {vlan_of(key): carried[port] for key, port in reading.learned.items()}
    assert all(vlans == [vlan] if vlan else len(vlans) != 1 for vlan, vlans in reported.items())
    assert None in reported and len(reported) > 2


def test_rows_without_a_usable_port_are_counted_and_kept_as_no_endpoints() -> None:
    reading, switch = read(Traits(unmapped_ports=frozenset({1, 2}), zero_ports=frozenset({3})))
    expected = {key: port for key, port in truth(switch).items() if port not in (1, 2, 3)}
    assert reading.complete and dict(reading.learned) == expected
    reported = {gap.why: gap.rows for gap in reading.gaps}
    assert reported == {
        "bridge port 1 has no interface": 1,
        "bridge port 2 has no interface": 1,
        "port is 0: not known": 1,
    }
    lost = [entry for entry in reading.others if entry.status is Status.LEARNED]
    assert len(lost) == 3 and all(entry.port is None for entry in lost)


def test_addresses_behind_a_bundle_are_at_the_aggregate_port() -> None:
    reading, switch = read(Traits(aggregate=frozenset({23, 24})))
    expected = {key: AGGREGATE_INDEX if port == 24 else port for key, port in truth(switch).items()}
    assert dict(reading.learned) == expected
    ports = {port.name: port for port in reading.ports}
    assert ports["p24"].aggregate == ports["p23"].aggregate == "bundle-1" and ports["p1"].aggregate is None
    assert (ports["p24"].partner, ports["p1"].partner) == ("02:1a:f0:ff:00:01/7", "")
    assert ports["bundle-1"].bridged and not ports["p24"].bridged


@pytest.mark.parametrize("v3", [False, True])
def test_a_table_offered_one_vlan_at_a_time_is_put_together(v3: bool) -> None:
    template = "vlan-{vlan}" if v3 else "tarn-read@{vlan}"
    how = {"user": LAB_USER, "view_context": template} if v3 else {"view_community": template}
    reading, switch = read(
        Traits(views=template, vlan_table=False, v3=v3), **how, view_vlans=(10, 30, 40, 99)
    )
    assert reading.complete, reading.gaps
    assert dict(reading.learned) == {
        key: port for key, port in truth(switch).items() if key >> 48 in (10, 30, 40, 99)
    }


def test_a_view_that_does_not_answer_makes_the_reading_partial() -> None:
    hasty = replace(QUICK, timeout_s=0.1, tries=2)
    reading, _ = read(
        Traits(views="tarn-read@{vlan}"), hasty, view_community="tarn-read@{vlan}", view_vlans=(30, 4000)
    )
    assert not reading.complete
    assert {gap.table for gap in reading.gaps if gap.breaks} == {
        "dot1dBasePortTable of VLAN 4000",
        "dot1dTpFdbTable of VLAN 4000",
    }


def test_a_table_of_which_no_vlan_is_known_makes_the_reading_partial() -> None:
    template = "tarn-read@{vlan}"
    reading, _ = read(Traits(views=template, vlan_table=False), view_community=template)
    (gap,) = [gap for gap in reading.gaps if gap.breaks]
    assert not reading.complete and gap.table == "dot1qVlanCurrentTable" and "--view-vlans" in gap.why


def test_everything_else_a_switch_reports_is_in_the_reading() -> None:
    reading, switch = read(Traits(bridge_port_offset=8))
    ports = {port.number: port for port in reading.ports}
    uplink, light = ports[24], ports[1]
    assert uplink.tagged == set(tarn_ferries.VLANS) and uplink.untagged == {1} - {1}
    assert (light.default_vlan, light.untagged, light.tagged) == (30, {30}, frozenset())
    assert (uplink.duplex, uplink.spanning_tree, uplink.kind, uplink.speed_bps) == (
        "full",
        "forwarding",
        6,
        10**10,
    )
    device = reading.device
    assert (device.model, device.serial, device.software) == (
        "Tarn bridge 24",
        f"TF{switch.mac & 0xFFFFFF:06d}",
        "4.2",
    )
    assert (device.topology_changes, device.learning_discards) == (1, 0)
    assert device.topology_changed_at is not None and device.topology_changed_at < reading.taken_at
    (neighbour,) = reading.neighbours
    assert (neighbour.port, neighbour.name, neighbour.port_id) == ("p24", "core-2", "p1")
    assert neighbour.addresses == ("127.77.0.2",) and neighbour.capabilities == ("bridge",)
    assert neighbour.chassis_mac is not None and str(neighbour.chassis_mac) == neighbour.chassis


def test_an_agent_that_goes_in_circles_makes_a_partial_reading() -> None:
    reading, _ = read(Traits(loops_in=mib.DOT1Q_TP_FDB_PORT[:-1]))
    (gap,) = [gap for gap in reading.gaps if gap.breaks]
    assert gap.table == "dot1qTpFdbTable" and "do not advance" in gap.why and not reading.complete


def test_an_agent_that_breaks_off_half_way_leaves_the_rows_it_gave() -> None:
    hasty = replace(QUICK, timeout_s=0.1, tries=2)
    reading, switch = read(Traits(breaks_off_in=mib.DOT1Q_TP_FDB_STATUS), hasty)
    (gap,) = [gap for gap in reading.gaps if gap.breaks]
    assert gap.table == "dot1qTpFdbTable" and "no answer to 2 tries" in gap.why
    assert 0 < len(reading.learned) < len(truth(switch))
    assert reading.learned.items() <= truth(switch).items()


def test_garbage_is_no_answer_and_is_reported() -> None:
    with pytest.raises(DeviceSilent, match="cannot be used"):
        read(Traits(garbage=True), replace(QUICK, timeout_s=0.1, tries=2))


def test_what_hardly_changes_is_asked_for_now_and_then_and_reported_all_the_same() -> None:
    async def work(site: Site, switch: LabSwitch) -> list[tuple[Reading, int]]:
        target = Target(host=switch.address, port=site.farm.port, community="tarn-read")
        habits, reported = WalkCache(), []
        for _ in range(2):
            reading = await read_switch(NAME, target, CLOCK, QUICK, habits)
            reported.append((reading, habits.skip_old_table))
        switch.restart(site.world.now)
        reported.append((await read_switch(NAME, target, CLOCK, QUICK, habits), habits.skip_old_table))
        return reported

    (first, second, restarted), _ = with_site(Traits(), work)
    assert first[0].neighbours == second[0].neighbours == restarted[0].neighbours != ()
    assert (first[1], second[1]) == (OLD_TABLE_EVERY, OLD_TABLE_EVERY - 1)
    assert not restarted[0].learned and restarted[0].complete
    # An empty table proves nothing about the older one.
    assert WalkCache(skip_old_table=5).wants_old_table(RawSwitch(switch=NAME, taken_at=first[0].taken_at))


V3 = Traits(v3=True)


def test_snmpv3_with_authentication_and_privacy_reads_the_same() -> None:
    reading, switch = read(V3, user=LAB_USER)
    assert reading.complete and dict(reading.learned) == truth(switch)


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"name": "nobody"}, "does not know this user"),
        ({"auth_password": "not-the-password"}, "authentication password or protocol is wrong"),
        ({"auth": Auth.SHA512}, "authentication password or protocol is wrong"),
        ({"privacy_password": "not-the-password"}, "privacy password or protocol is wrong"),
        ({"privacy": False}, "security level"),
        ({"privacy": False, "auth": None}, "security level"),
    ],
)
def test_what_is_wrong_with_a_user_is_told_apart(changes: dict[str, Any], said: str) -> None:
    with pytest.raises(DeviceRefused, match=said):
        read(V3, user=replace(LAB_USER, **changes))


def test_a_switch_that_does_not_speak_snmpv3_is_silent_and_that_is_said() -> None:
    with pytest.raises(DeviceSilent, match="may not speak SNMPv3"):
        read(Traits(), replace(QUICK, timeout_s=0.1, tries=2), user=LAB_USER)


def test_the_passwords_of_a_user_never_show() -> None:
    assert "ferry" not in repr(LAB_USER) and "berth" not in repr(LAB_USER)
    with pytest.raises(ValueError, match="at least 8"):
        User(name="x", auth=Auth.SHA1, auth_password="short")


def test_a_lost_datagram_is_sent_again_within_one_try() -> None:
    """One try alone, a third of the requests lost: only sending again can bring them home."""
    patient = Limits(timeout_s=8, tries=1, total_s=30)
    reading, switch = read(Traits(loss=0.3), patient)
    assert reading.complete, reading.gaps
    assert dict(reading.learned) == truth(switch)
