"""The store's contract, on real MariaDB."""

from dataclasses import replace
from datetime import datetime, timedelta
from ipaddress import ip_network
from typing import Any

import pytest
from sqlalchemy import Connection, func, select, text
from sqlalchemy.exc import OperationalError

from kiteroll.core.errors import ConfigError, Conflict, Invalid, NotFound, StorageUnavailable
from kiteroll.core.model.changes import Change
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.paging import PageAsk
from kiteroll.core.model.reading import Gap, Neighbour, Oper, Reading
from kiteroll.core.model.stay import Ending, Life
from kiteroll.core.policy.levels import EVERYTHING, Level
from kiteroll.core.policy.port_rules import NO_LIMIT, STAYS_CLOSED, OnBreach, Rule
from kiteroll.core.policy.roll import Barred, Enrolled
from kiteroll.core.policy.rule_changes import RuleSet, differences
from kiteroll.core.replay.stay_ledger import StayLedger
from kiteroll.core.topology.cables import Cable, UplinkRecord
from kiteroll.core.topology.inference import infer
from kiteroll.core.topology.refresh import TopologyRefresh
from kiteroll.core.topology.roles import Role, RoleEvidence
from kiteroll.core.tracking.admission import AdmissionLimits
from kiteroll.core.tracking.tracker import Tracker
from kiteroll.core.tracking.tracking_rules import TrackingRules
from kiteroll.store import (
    addresses,
    enrolment,
    former_switches,
    host_names,
    inventory,
    list_queries,
    port_history,
    rule_log,
    rules,
    snapshot_diff,
    stay_queries,
    tracked_state,
)
from kiteroll.store.area_lease import SERVICE_STAYS
from kiteroll.store.database import Database
from kiteroll.store.inventory import SwitchRow
from kiteroll.store.ports import port_ids
from kiteroll.store.quiet_periods import HeardThen, heard_then, quiet_times
from kiteroll.store.reading_pauses import reading_pauses
from kiteroll.store.reading_writer import ReadingWriter, _record_reading
from kiteroll.store.rules import Author
from kiteroll.store.stay_queries import Filters
from kiteroll.store.tables import ip_stay, metadata, stay, switch
from kiteroll.store.tables import reading as reading_table
from kiteroll.store.topology import ids_of_ports, set_operator_role, topology_facts
from kiteroll.store.tracking_rules import save_tracking_rules, saved_tracking_rules
from tests.support.factories import NOON, at, mac, reading


def add(database: Database, name: str = "quay-1", when: datetime = NOON) -> SwitchRow:
    return database.run(
        inventory.add_switch,
        when,
        name=name,
        host="127.0.0.1",
        udp_port=161,
        in_groups=[],
        notes="",
        credential_sealed=b"sealed",
        interval_s=60,
        enabled=True,
        location="Quay cabin 1",
    )


class Stored:
    """Tracker and store together, as in the service."""

    def __init__(self, database: Database) -> None:
        self.database = database
        self.switch = add(database)
        self.tracker = Tracker(hold=timedelta(minutes=10))
        self.writer = ReadingWriter(database)

    def apply(self, *args: Any, **kwargs: Any) -> tuple[Change, ...]:
        return self.write(reading(*args, **kwargs))

    def write(self, taken: Reading) -> tuple[Change, ...]:
        changes = self.tracker.apply(taken)
        self.writer.write_reading(self.switch.id, taken, changes, self.tracker.checkpoint("quay-1"))
        return changes

    def stays(self, **filters: Any) -> list[stay_queries.PlacedStay]:
        page = self.database.run(stay_queries.stays_page, Filters(**filters), PageAsk())
        return list(page.items)


@pytest.fixture
def stored(database: Database) -> Stored:
    return Stored(database)


def test_changes_become_the_same_stays_in_the_store_and_in_memory(stored: Stored) -> None:
    """The records of the service and the ledger of a replay are two writers of one contract."""
    ledger = StayLedger()
    story: list[tuple[float, dict[tuple[int, int], str]]] = [
        (0, {(1, 10): "p1", (2, 20): "p2", (3, 10): "p3", (4, 10): "p4"}),
        (5, {(1, 10): "p2", (3, 10): "p3"}),
        (6, {(1, 10): "p2", (2, 20): "p2", (3, 10): "p3"}),
        (30, {(1, 10): "p2", (2, 20): "p5"}),
        (90, {(5, 10): "p1"}),
    ]
    for minutes, learned in story:
        ledger.record(stored.apply(minutes, learned))
    # Started anew: what is missing is awaited for a while, then quiet, then gone.
    ledger.record(stored.apply(91, {(6, 10): "p1"}, uptime_s=20))
    ledger.record(stored.apply(92, {(5, 10): "p1", (6, 10): "p1"}, uptime_s=80))
    ledger.record(stored.tracker.forget("quay-1", at(99)))
    ends = [change for change in ledger.all_stays() if change.ending is Ending.REMOVED]
    assert {placed.stay.id for placed in stored.stays()} == {one.id for one in ends}
    recorded = {placed.stay.id: placed.stay for placed in stored.stays(open_only=False)}
    before = {one.id: one for one in ledger.all_stays() if one.ending is not Ending.REMOVED}
    assert {number: one for number, one in recorded.items() if number in before} == before


def test_stays_come_back_as_the_tracker_reported_them(stored: Stored) -> None:
    stored.apply(0, {(1, 10): "p1", (2, 20): "p1", (3, 10): "p3"})
    stored.apply(5, {(1, 10): "p2", (3, 10): "p3"})
    one, two, three = sorted(stored.stays(), key=lambda row: row.stay.mac)
    assert (one.stay.place.port, one.stay.began_at, one.life) == ("p2", at(5), Life.PRESENT)
    assert (two.life, two.stay.last_seen_at, two.stay.quiet_at) == (Life.QUIET, at(0), at(5))
    assert three.seen_at == at(5), "no row was written for it, yet it was seen in the last reading"
    ended = [row.stay for row in stored.stays(open_only=False) if row.life is Life.GONE]
    assert [(end.mac, end.ending, end.last_seen_at) for end in ended] == [(mac(1), Ending.MOVED, at(0))]


def test_an_unchanged_reading_writes_one_row_and_no_stay(stored: Stored) -> None:
    table = {(number, 10): f"p{number % 24 + 1}" for number in range(500)}
    stored.apply(0, table)
    with stored.database.engine.connect() as connection:
        before = _written(connection)
        stored.apply(1, table)
        connection.rollback()
        after = _written(connection)
    assert after["Handler_write"] - before["Handler_write"] == 1
    assert after["Handler_update"] - before["Handler_update"] == 1


def _written(connection: Connection) -> dict[str, int]:
    rows = connection.execute(text("SHOW GLOBAL STATUS LIKE 'Handler_%'"))
    return {name: int(value) for name, value in rows}


def test_writing_a_reading_twice_is_writing_it_once(stored: Stored) -> None:
    taken = reading(0, {(1, 10): "p1"})
    changes = stored.tracker.apply(taken)
    for _ in range(2):
        stored.writer.write_reading(stored.switch.id, taken, changes, stored.tracker.checkpoint("quay-1"))
    with stored.database.engine.connect() as connection:
        assert connection.execute(select(func.count()).select_from(reading_table)).scalar_one() == 1
        assert connection.execute(select(func.count()).select_from(stay)).scalar_one() == 1


def test_a_transaction_that_breaks_leaves_nothing_of_the_reading(stored: Stored) -> None:
    taken = reading(0, {(1, 10): "p1", (2, 10): "p2"})
    changes = stored.tracker.apply(taken)
    with pytest.raises(KeyError):
        stored.database.run(_break_after, stored, taken, changes)
    with stored.database.engine.connect() as connection:
        for table in metadata.sorted_tables:
            if table.name != "switch":
                assert connection.execute(select(func.count()).select_from(table)).scalar_one() == 0, (
                    table.name
                )


def _break_after(connection: Connection, stored: Stored, taken: Reading, changes: tuple[Change, ...]) -> None:
    checkpoint = stored.tracker.checkpoint("quay-1")
    _record_reading(connection, stored.switch.id, taken, changes, checkpoint, None, None)
    raise KeyError("the process dies here")


def test_open_stays_and_marks_bring_the_tracker_back(stored: Stored) -> None:
    stored.apply(0, {(1, 10): "p1", (2, 10): "p2"})
    stored.apply(5, {(1, 10): "p1"})
    row = stored.database.run(inventory.get_switch, "quay-1")
    next_stay = stored.database.run(tracked_state.next_stay_id, SERVICE_STAYS)
    again = Tracker(hold=timedelta(minutes=10), next_stay=next_stay)
    stays = [one for _, one in stored.database.stream(tracked_state.open_stays)]
    again.restore("quay-1", row.checkpoint, stored.database.run(inventory.port_numbers, row.id), stays)
    for minutes, table in ((6, {(2, 10): "p3"}), (30, {(5, 10): "p1"})):
        taken = reading(minutes, table)
        assert again.apply(taken) == stored.tracker.apply(taken)


def test_ports_follow_what_the_switch_says(stored: Stored) -> None:
    stored.apply(0, {(1, 10): "p1"}, ports={"p1": 1, "p2": 2, "p3": 3})
    stored.apply(1, {(1, 10): "p1"}, ports={"p1": 7, "p2": 2}, down=("p2",))
    ports = stored.database.run(list_queries.ports_of, stored.switch.id)
    assert [(port.name, port.number, port.oper, port.present) for port in ports] == [
        ("p2", 2, "down", 0),
        ("p1", 7, "up", 1),
    ]
    assert ports[0].oper_since == at(1) and ports[1].oper_since == at(0)
    gone = stored.database.run(port_ids, stored.switch.id)["p3"]
    was = stored.database.run(list_queries.ports_of, stored.switch.id, [gone])
    assert [port.name for port in was] == ["p2", "p3", "p1"], "one that is gone, where the past needs it"
    stored.apply(2, {(1, 10): "p1"}, ports={"p1": 7, "p2": 2, "p4": 4})
    numbers = stored.database.run(port_ids, stored.switch.id)
    assert numbers["p4"] == max(numbers[name] for name in ("p1", "p2", "p3")) + 1, "updates use up none"


def test_pages_join_up_without_gap_or_repeat(stored: Stored) -> None:
    stored.apply(0, {(number, 10): f"p{number % 5 + 1}" for number in range(53)})
    whole = [row.stay.id for row in stored.stays(switch_ids=[stored.switch.id])]
    found: list[int] = []
    cursor = None
    while True:
        page = stored.database.run(
            stay_queries.stays_page, Filters(switch_ids=[stored.switch.id]), PageAsk(cursor, 7)
        )
        found += [row.stay.id for row in page.items]
        if (cursor := page.next) is None:
            break
    assert found == whole and len(set(found)) == 53
    with pytest.raises(Invalid, match="cursor"):
        stored.database.run(stay_queries.stays_page, Filters(), PageAsk("nonsense", 7))


def test_changes_are_listed_latest_first_and_narrowed_down(stored: Stored) -> None:
    stored.apply(0, {(1, 10): "p1", (2, 10): "p1"})
    stored.apply(5, {(1, 10): "p2"})
    stored.apply(20, {}, down=("p2",))

    def listed(**narrow: object) -> list[tuple[str, int]]:
        given = {"since": None, "until": None, "switch_ids": None, "mac": None, "kinds": (), **narrow}
        page = stored.database.run(list_queries.changes_page, PageAsk(limit=50), **given)
        return [(row.kind, 0 if row.mac is None else int(row.mac) & 0xFF) for row in page.items]

    assert set(listed(since=at(20))) == {("gone", 1), ("gone", 2)}
    assert listed(since=at(5), until=at(20)) == [("quiet", 2), ("moved", 1)]
    assert listed(mac=mac(2), kinds=("appeared",)) == [("appeared", 2)]


def test_a_port_where_another_switch_is_learned_leads_to_it(stored: Stored) -> None:
    other = add(stored.database, "core-1")
    with stored.database.engine.begin() as connection:
        connection.execute(switch.update().where(switch.c.id == other.id).values(bridge_address=mac(9)))
    stored.apply(0, {(9, 99): "p24", (1, 10): "p1"})
    known = stored.database.run(topology_facts)
    assert known.seen == {("quay-1", "p24"): {"core-1"}}
    ids = stored.database.run(ids_of_ports, [("quay-1", "p24"), ("quay-1", "p99")])
    assert list(ids) == [("quay-1", "p24")]
    assert infer(known).role(("quay-1", "p24")).leads_to == ("core-1",)
    stored.database.run(set_operator_role, ids["quay-1", "p24"], "access")
    role = infer(stored.database.run(topology_facts)).role(("quay-1", "p24"))
    assert (role.role, role.evidence) == (Role.ACCESS, RoleEvidence.OPERATOR)


def test_a_neighbour_that_is_a_known_switch_is_next_to_the_port_and_to_its_bundle(stored: Stored) -> None:
    core, far = add(stored.database, "core-1"), add(stored.database, "quay-9")
    with stored.database.engine.begin() as connection:
        for row, address in ((core, mac(8)), (far, mac(9))):
            of = switch.c.id == row.id
            connection.execute(switch.update().where(of).values(bridge_address=address))
    reported = Neighbour(port="p23", chassis=str(mac(8)), chassis_mac=mac(8), name="core-1")
    taken = reading(0, {(8, 99): "p24", (9, 99): "p24"})
    bundled = {"p23": {"aggregate": "p24"}, "p5": {"aggregate": "p6", "partner": "02:00:00:00:00:01/7"}}
    ports = tuple(replace(one, **bundled.get(one.name, {})) for one in taken.ports)  # type: ignore[arg-type]
    taken = replace(taken, ports=ports, neighbours=(reported,))
    stored.write(taken)
    topology = infer(stored.database.run(topology_facts))
    assert topology.device_at(("quay-1", "p6")) == "02:00:00:00:00:01/7"
    roles = topology.roles()
    assert {at: set(role.leads_to) for at, role in roles.items()} == {
        ("quay-1", "p23"): {"core-1"},
        ("quay-1", "p24"): {"core-1", "quay-9"},
    }


def test_a_removed_switch_keeps_its_history_and_frees_its_name(stored: Stored) -> None:
    stored.apply(0, {(1, 10): "p1"})
    ends = stored.tracker.forget("quay-1", at(9))
    stored.database.run(inventory.remove_switch, stored.switch.id, at(9), ends)
    with pytest.raises(NotFound):
        stored.database.run(inventory.get_switch, "quay-1")
    assert [row.stay.ending for row in stored.stays(open_only=False)] == [Ending.REMOVED]
    other = add(stored.database, when=at(9))
    assert other.id != stored.switch.id
    with pytest.raises(Conflict, match="already"):
        add(stored.database)
    assert stored.database.run(former_switches.ids_called, "quay-1") == [other.id, stored.switch.id]
    for minute, number in ((8, stored.switch.id), (9, other.id), (-99, stored.switch.id)):
        assert stored.database.run(former_switches.switch_then, "quay-1", at(minute)) == number
    assert stored.database.run(former_switches.switch_then, "quay-1", None) == other.id
    with pytest.raises(NotFound, match="no switch 'quay-_'"):
        stored.database.run(former_switches.ids_called, "quay-_")


def test_health_keeps_since_when(stored: Stored) -> None:
    for minutes in (0, 1, 2):
        stored.writer.write_failure(stored.switch.id, at(minutes), 12, "silent", "no answer")
    row = stored.database.run(inventory.get_switch, "quay-1")
    assert (row.health, row.health_since, row.tried_at, row.error) == ("silent", at(0), at(2), "no answer")
    stored.apply(3, {})
    row = stored.database.run(inventory.get_switch, "quay-1")
    assert (row.health, row.health_since, row.error, row.last_complete_at) == ("read", at(3), None, at(3))


def test_a_deadlock_runs_the_transaction_again(database: Database) -> None:
    runs: list[int] = []

    def work(connection: Connection) -> int:
        runs.append(1)
        if len(runs) == 1:

            class Deadlock(Exception):
                pass

            raise OperationalError("UPDATE", {}, Deadlock(1213, "Deadlock found"))
        return connection.execute(text("SELECT 7")).scalar_one()

    assert database.run(work) == 7 and len(runs) == 2


def test_a_database_that_is_not_there_or_refuses_says_so_without_its_password(server: Database) -> None:
    gone = Database(server.url.set(port=1))
    with pytest.raises(StorageUnavailable, match="does not answer") as away:
        gone.check()
    refused = Database(server.url.set(password="hunter2-wrong"))
    with pytest.raises(StorageUnavailable, match="refuses") as no:
        refused.check()
    assert "hunter2" not in str(no.value) + str(away.value)
    with pytest.raises(ConfigError, match="mysql://"):
        Database("sqlite:///x")


def test_ip_addresses_are_kept_as_intervals_and_found_from_both_sides(stored: Stored) -> None:
    def read(minutes: float, cache: dict[str, MacAddress], *, partial: bool = False) -> None:
        broke = (Gap(table="ipNetToMediaTable", why="no answer", breaks=False),) if partial else ()
        taken = replace(reading(minutes, {}), addresses=cache, gaps=broke)
        stored.write(taken)

    read(0, {"10.20.0.7": mac(1), "10.20.0.8": mac(2)})
    read(1, {"10.20.0.7": mac(3)}, partial=True)
    reported = stored.database.run(host_names.ips_and_names_of, [mac(1), mac(2), mac(3)])
    assert reported == ({mac(2): ["10.20.0.8"], mac(3): ["10.20.0.7"]}, {})
    stored.writer.forget()
    read(2, {"10.20.0.7": mac(3), "10.20.0.70": mac(4)})
    assert stored.database.run(addresses.macs_by_ip, "10.20.0.7", 10) == [mac(3), mac(4)]
    assert stored.database.run(addresses.macs_by_ip, "10.20.0.8", 10) == []
    assert stored.database.run(addresses.macs_by_ip, "10.20.0.7", 10, at(0.5)) == [mac(1)]
    for network, now, then in (
        ("10.20.0.8/30", [], [mac(2)]),
        ("10.0.0.0/7", [mac(3), mac(4)], [mac(1), mac(2)]),
    ):
        for instant, expected in ((None, now), (at(0.5), then)):
            found = stored.database.run(addresses.macs_in_network, ip_network(network), 10, instant)
            assert found == expected, (network, instant)
    stored.database.run(host_names.save_names, {"10.20.0.7": "lamp.tarn.example"}, at(2), at(9))
    stored.database.run(host_names.save_names, {"10.20.0.7": "mast.tarn.example"}, at(4), at(9))
    assert stored.database.run(host_names.macs_named_at, "lamp", 10, at(3)) == [mac(3)]
    assert stored.database.run(host_names.macs_named_at, "lamp", 10, at(4)) == []
    reported = stored.database.run(host_names.ips_and_names_of, [mac(1), mac(3)], at(3))
    assert reported == ({mac(3): ["10.20.0.7"]}, {mac(3): ["lamp.tarn.example"]})
    with stored.database.engine.connect() as connection:
        rows = connection.execute(select(ip_stay.c.ip, ip_stay.c.ended_at).order_by(ip_stay.c.id)).all()
    assert [tuple(row) for row in rows] == [
        ("10.20.0.7", at(1)),
        ("10.20.0.8", at(2)),
        ("10.20.0.7", None),
        ("10.20.0.70", None),
    ]


def test_what_ports_were_is_reported_as_of_an_instant(stored: Stored) -> None:
    stored.apply(0, {(1, 10): "p1"})
    ids = stored.database.run(ids_of_ports, [("quay-1", "p1"), ("quay-1", "p24")])
    for name in ("core-1", "ring-1"):
        add(stored.database, name)
    port = ids["quay-1", "p24"]
    assert stored.database.run(port_history.uplinks_at, at(1)) is None, "nothing is recorded yet"
    to_core, to_ring = (
        UplinkRecord((name,), Cable.OPEN, RoleEvidence.NEIGHBOUR, (name,), leads_to)
        for name, leads_to in (("core-1", None), ("ring-1", ("ring-1", "core-1")))
    )
    stored.database.run(port_history.record_uplinks, {port: to_core}, (), at(1))
    assert stored.database.run(port_history.open_uplinks) == {port: to_core}
    stored.database.run(port_history.record_uplinks, {port: to_ring}, (), at(3))
    stored.database.run(port_history.record_uplinks, {}, (port,), at(5))
    stored.database.run(inventory.change_switch, at(6), "core-1", {"name": "core-new"})
    recorded = {minute: stored.database.run(port_history.uplinks_at, at(minute)) for minute in (0, 1, 4, 5)}
    place = ("quay-1", "p24")
    then = replace(to_core, adjacent=("core-new",), witnesses=("core-new",))
    later = replace(to_ring, leads_to=("ring-1", "core-new"))
    assert recorded == {0: None, 1: {port: (place, then)}, 4: {port: (place, later)}, 5: {}}
    assert stored.database.run(port_history.open_uplinks) == {}
    former = stored.database.run(port_history.former_uplinks, at(4))
    assert former == {place: at(5)}
    assert stored.database.run(port_history.former_uplinks, at(6)) == {}
    restarted = TopologyRefresh()
    restarted.recall(former)
    restarted.refresh(at(7), lambda: stored.database.run(topology_facts), dict)
    assert restarted.snapshot.topology.was_uplink(place, at(5))
    assert not restarted.snapshot.topology.was_uplink(place, at(6))


def test_every_quiet_time_is_reported_and_so_is_who_was_quiet_at_an_instant(stored: Stored) -> None:
    table = {(1, 10): "p1", (2, 10): "p2"}
    without = {(1, 10): "p1"}
    for minute, learned in enumerate((table, without, table, table, without, without, table)):
        stored.apply(minute, learned)
    (stay_then,) = (
        placed.stay for placed in stored.database.run(stay_queries.places_of, [mac(2)], at(1.5))[mac(2)]
    )
    times = stored.database.run(quiet_times, [mac(1), mac(2)], at(0), at(9))
    assert [(one.place, one.began_at, one.ended_at) for one in times] == [
        (stay_then.place, at(1), at(2)),
        (stay_then.place, at(4), at(6)),
    ]
    heard: tuple[tuple[float, float, float | None], ...] = (
        *((0.5, 0, None), (1, 0, 1), (1.5, 0, 1), (2, 2, None)),
        *((3.5, 2, None), (5, 2, 4), (6.5, 6, None)),
    )
    for instant, resumed, since in heard:
        expected = HeardThen(at(resumed), None if since is None else at(since))
        then = stored.database.run(heard_then, [stay_then], at(instant))
        assert then == {stay_then.id: expected}, instant
    assert [one.ended_at for one in stored.database.run(quiet_times, [mac(2)], at(3), at(5))] == [None]


def test_every_pause_of_readings_during_a_stay_is_known(stored: Stored) -> None:
    here, moved = {(1, 10): "p1"}, {(1, 10): "p2"}
    for minute in (0, 15, 40, 70, 80, 100):
        stored.apply(minute, here)
    stored.apply(110, moved)

    def pauses(since: float, now: float) -> list[tuple[str, datetime, datetime | None]]:
        ids = [one.stay.id for one in stored.stays(open_only=False)]
        found = stored.database.run(reading_pauses, ids, at(since), at(now))
        return [(one.place.port, one.began_at, one.ended_at) for one in found]

    assert pauses(0, 125) == [("p1", at(15), at(70)), ("p1", at(80), at(100))]
    assert pauses(90, 125) == [("p1", at(80), at(100))], "also one that began before"
    assert pauses(105, 126) == [("p2", at(110), None)], "and the one that lasts"
    stored.apply(115, moved, partial=True)
    assert pauses(105, 126) == [("p2", at(110), None)], "a reading that is not whole ends none"


def test_the_link_of_a_port_is_kept_each_time_it_becomes_another(stored: Stored) -> None:
    for minute, oper in ((0, Oper.UP), (1, Oper.UP), (2, Oper.DOWN), (3, Oper.UP)):
        taken = reading(minute, {})
        ports = tuple(replace(one, oper=oper) if one.name == "p1" else one for one in taken.ports)
        taken = replace(taken, ports=ports)
        stored.write(taken)
    (port,) = stored.database.run(ids_of_ports, [("quay-1", "p1")]).values()
    reported = stored.database.run(port_history.links_of_port, port, at(0), 10)
    assert [(one.at, one.oper) for one in reported] == [(at(3), "up"), (at(2), "down"), (at(0), "up")]
    present, quiet, link = stored.database.run(port_history.ports_at, stored.switch.id, at(2))[port]
    assert (present, quiet, link) == (0, 0, port_history.LinkChange(at(2), "down"))


def test_addresses_that_changed_are_the_same_by_either_way_of_looking(stored: Stored) -> None:
    for minute in range(8):
        stored.apply(minute, {(number, 10): f"p{1 + (number * minute) % 3}" for number in range(1, 7)})
    for begin, end in ((0, 3), (2, 8), (7, 9)):
        by_time, by_address = (
            stored.database.run(snapshot_diff.changed_macs, at(begin), at(end), None, 0, 4, much)
            for much in (1000, 0)
        )
        assert by_time == by_address


def test_what_is_said_of_ports_is_kept_and_follows_the_switch(stored: Stored) -> None:
    run, port = stored.database.run, Level(switch="quay-1", port="p1")
    lamp = Enrolled("021a05", 30, at(900), port, "a lamp", "Ida")
    wanted = RuleSet(
        {
            EVERYTHING: Rule(seats=NO_LIMIT, note="all"),
            Level(group="access"): Rule(seats=2, vlans=frozenset({10, 30}), reopen_after=STAYS_CLOSED),
            Level(switch="quay-1", ports="p1-p9"): Rule(on_breach=OnBreach.SERIOUS, uplinks=False),
            port: Rule(watched=True, roll=(lamp,)),
        },
        (Barred("021a99", "stolen", at(950)),),
    )

    def save(rules_then: RuleSet, minute: float) -> None:
        found = differences(run(rules.rule_set), rules_then)
        run(rules.save_differences, rules_then, found, Author("Mara", "why"), at(minute))

    save(wanted, 0)
    assert run(rules.rule_set) == wanted
    save(wanted, 1)
    run(inventory.change_switch, NOON, "quay-1", {"name": "quay-9"})
    with stored.database.engine.begin() as connection:
        connection.execute(switch.update().values(in_groups=["access"]))
    rule = run(rules.rule_book).rule(("quay-9", "p1"))
    assert (rule.seats, rule.watched, rule.on_breach, [one.note for one in rule.roll]) == (
        2,
        True,
        OnBreach.SERIOUS,
        ["a lamp"],
    )
    (entry,) = next(row for row in run(rules.all_rules) if row.level.port).roll
    assert (entry.by, entry.at, entry.via) == ("Mara", at(0), "hand")
    save(RuleSet({EVERYTHING: Rule(seats=3)}), 2)
    assert run(rules.rule_set) == RuleSet({EVERYTHING: Rule(seats=3)})
    said = run(rule_log.events_page, PageAsk(limit=9), switch=None, port=None, prefix="021a05").items
    assert [(one.what, one.at, one.level.switch) for one in said] == [
        ("struck off", at(2), "quay-9"),
        ("enrolled", at(0), "quay-1"),
    ]
    run(inventory.remove_switch, stored.switch.id, at(3), ())
    assert [row.level for row in run(rules.all_rules)] == [EVERYTHING]


def test_who_was_present_is_reported_without_the_times_of_quiet(stored: Stored) -> None:
    for minute in range(12):
        there = {(1, 10): "p1"} if minute not in (4, 5, 6) else {}
        stored.apply(minute, there | ({(2, 20): "p2"} if minute < 9 else {}))
    ports = stored.database.run(
        enrolment.ports_of_level, Level(switch="quay-1", ports="p1-p2"), {"quay-1": ()}
    )
    found = stored.database.run(
        lambda connection: list(enrolment.presences(connection, ports, at(-1), at(20)))
    )
    assert sorted((one.mac, one.port[1], one.began_at, one.ended_at) for one in found if one.ended_at) == [
        (mac(1), "p1", at(0), at(4)),
        (mac(2), "p2", at(0), at(9)),
    ]
    assert [(one.began_at, one.ended_at) for one in found if not one.ended_at] == [(at(7), None)]


def test_the_rules_of_tracking_are_those_of_the_last_start(database: Database) -> None:
    assert database.run(saved_tracking_rules) is None
    strict = TrackingRules(timedelta(minutes=9), AdmissionLimits(per_port=7, endpoints=1000))
    for one in (strict, TrackingRules()):
        database.run(save_tracking_rules, one)
        database.run(save_tracking_rules, one)
        assert database.run(saved_tracking_rules) == one
