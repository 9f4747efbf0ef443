"""The store's contract, on real MariaDB."""

from dataclasses import replace
from datetime import timedelta
from ipaddress import ip_network

import pytest
from sqlalchemy import Connection, func, inspect, select, text
from sqlalchemy.exc import OperationalError

from kiteroll.core.errors import ConfigError, Conflict, Invalid, NotFound, StorageUnavailable
from kiteroll.core.mac import MacAddress
from kiteroll.core.reading import Gap, Neighbour, Oper
from kiteroll.core.rules import Enrolled, PortRule
from kiteroll.core.stay import Ending, Life
from kiteroll.core.topology import Ground, Role, infer
from kiteroll.core.tracker import Tracker
from kiteroll.store import addresses, comparing, inventory, names, overview, past, places, rules
from kiteroll.store.database import Database
from kiteroll.store.inventory import SwitchRow
from kiteroll.store.migrate import migrate
from kiteroll.store.places import Filters
from kiteroll.store.ports import port_ids
from kiteroll.store.quiet import quiet_since, quiet_times
from kiteroll.store.record import Recorder
from kiteroll.store.retention import drop_old
from kiteroll.store.rules import Level
from kiteroll.store.tables import ip_stay, metadata, stay
from kiteroll.store.tables import reading as reading_table
from kiteroll.store.topology import ids_of_ports, set_role, topology_facts
from tests.make import NOON, at, mac, reading


def add(database: Database, name: str = "quay-1") -> SwitchRow:
    return database.run(
        inventory.add_switch,
        NOON,
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


class Kept:
    """Tracker and store going together, as in the service."""

    def __init__(self, database: Database) -> None:
        self.database = database
        self.switch = add(database)
        self.tracker = Tracker(hold=timedelta(minutes=10))
        self.recorder = Recorder(database)

    def take(self, *args: object, **kwargs: object) -> None:
        taken = reading(*args, **kwargs)  # type: ignore[arg-type]
        changes = self.tracker.apply(taken)
        self.recorder.reading(self.switch.id, taken, changes, self.tracker.marks("quay-1"))

    def stays(self, **filters: object) -> list[places.PlacedStay]:
        page = self.database.run(
            places.stays_page,
            Filters(**filters),
            cursor=None,
            limit=100,  # type: ignore[arg-type]
        )
        return list(page.items)


@pytest.fixture
def kept(database: Database) -> Kept:
    return Kept(database)


def test_migrations_make_exactly_the_tables_the_code_uses(database: Database) -> None:
    migrate(database)
    found = inspect(database.engine)
    for table in metadata.sorted_tables:
        columns = {column["name"]: column["nullable"] for column in found.get_columns(table.name)}
        assert columns == {column.name: column.nullable for column in table.columns}, table.name
        assert {index["name"] for index in found.get_indexes(table.name)} >= {
            index.name for index in table.indexes
        }
    assert set(found.get_table_names()) == {table.name for table in metadata.sorted_tables} | {
        "alembic_version"
    }


def test_a_database_of_a_newer_version_is_left_alone(database: Database) -> None:
    with database.engine.begin() as connection:
        connection.execute(text("UPDATE alembic_version SET version_num = '9999'"))
    with pytest.raises(Conflict, match="newer Kite Roll"):
        migrate(database)


def test_stays_come_back_as_the_tracker_said(kept: Kept) -> None:
    kept.take(0, {(1, 10): "p1", (2, 20): "p1", (3, 10): "p3"})
    kept.take(5, {(1, 10): "p2", (3, 10): "p3"})
    one, two, three = sorted(kept.stays(), key=lambda row: row.stay.mac)
    assert (one.stay.place.port, one.stay.began_at, one.life) == ("p2", at(5), Life.PRESENT)
    assert (two.life, two.stay.last_seen_at, two.stay.quiet_at) == (Life.QUIET, at(0), at(5))
    assert three.seen_at == at(5), "no row was written for it, yet it was seen in the last reading"
    ended = [row.stay for row in kept.stays(open_only=False) if row.life is Life.GONE]
    assert [(end.mac, end.ending, end.last_seen_at) for end in ended] == [(mac(1), Ending.MOVED, at(0))]


def test_an_unchanged_reading_writes_one_row_and_no_stay(kept: Kept) -> None:
    table = {(number, 10): f"p{number % 24 + 1}" for number in range(500)}
    kept.take(0, table)
    with kept.database.engine.connect() as connection:
        before = _written(connection)
        kept.take(1, table)
        connection.rollback()
        after = _written(connection)
    assert after["Handler_write"] - before["Handler_write"] == 1
    assert after["Handler_update"] - before["Handler_update"] == 1


def _written(connection: Connection) -> dict[str, int]:
    rows = connection.execute(text("SHOW GLOBAL STATUS LIKE 'Handler_%'"))
    return {name: int(value) for name, value in rows}


def test_writing_a_reading_twice_is_writing_it_once(kept: Kept) -> None:
    taken = reading(0, {(1, 10): "p1"})
    changes = kept.tracker.apply(taken)
    for _ in range(2):
        kept.recorder.reading(kept.switch.id, taken, changes, kept.tracker.marks("quay-1"))
    with kept.database.engine.connect() as connection:
        assert connection.execute(select(func.count()).select_from(reading_table)).scalar_one() == 1
        assert connection.execute(select(func.count()).select_from(stay)).scalar_one() == 1


def test_a_transaction_that_breaks_leaves_nothing_of_the_reading(kept: Kept) -> None:
    taken = reading(0, {(1, 10): "p1", (2, 10): "p2"})
    changes = kept.tracker.apply(taken)
    with pytest.raises(KeyError):
        kept.database.run(_break_after, kept, taken, changes)
    with kept.database.engine.connect() as connection:
        for table in metadata.sorted_tables:
            if table.name != "switch":
                assert connection.execute(select(func.count()).select_from(table)).scalar_one() == 0, (
                    table.name
                )


def _break_after(connection: Connection, kept: Kept, taken: object, changes: object) -> None:
    from kiteroll.store.record import _record_reading

    _record_reading(connection, kept.switch.id, taken, changes, kept.tracker.marks("quay-1"), None, None)  # type: ignore[arg-type]
    raise KeyError("the process dies here")


def test_open_stays_and_marks_bring_the_tracker_back(kept: Kept) -> None:
    kept.take(0, {(1, 10): "p1", (2, 10): "p2"})
    kept.take(5, {(1, 10): "p1"})
    row = kept.database.run(inventory.get_switch, "quay-1")
    again = Tracker(hold=timedelta(minutes=10), next_stay=kept.database.run(inventory.next_stay_id))
    stays = [one for _, one in kept.database.stream(inventory.open_stays)]
    again.restore("quay-1", row.marks, kept.database.run(inventory.port_numbers, row.id), stays)
    for minutes, table in ((6, {(2, 10): "p3"}), (30, {(5, 10): "p1"})):
        taken = reading(minutes, table)
        assert again.apply(taken) == kept.tracker.apply(taken)


def test_ports_follow_what_the_switch_says(kept: Kept) -> None:
    kept.take(0, {(1, 10): "p1"}, ports={"p1": 1, "p2": 2, "p3": 3})
    kept.take(1, {(1, 10): "p1"}, ports={"p1": 7, "p2": 2}, down=("p2",))
    ports = kept.database.run(overview.ports_of, kept.switch.id)
    assert [(port.name, port.number, port.oper, port.present) for port in ports] == [
        ("p2", 2, "down", 0),
        ("p1", 7, "up", 1),
    ]
    assert ports[0].oper_since == at(1) and ports[1].oper_since == at(0)
    gone = kept.database.run(port_ids, kept.switch.id)["p3"]
    was = kept.database.run(overview.ports_of, kept.switch.id, [gone])
    assert [port.name for port in was] == ["p2", "p3", "p1"], "one that is gone, where the past needs it"


def test_pages_join_up_without_gap_or_repeat(kept: Kept) -> None:
    kept.take(0, {(number, 10): f"p{number % 5 + 1}" for number in range(53)})
    whole = [row.stay.id for row in kept.stays(switch_id=kept.switch.id)]
    found: list[int] = []
    cursor = None
    while True:
        page = kept.database.run(places.stays_page, Filters(switch_id=kept.switch.id), cursor=cursor, limit=7)
        found += [row.stay.id for row in page.items]
        if (cursor := page.next) is None:
            break
    assert found == whole and len(set(found)) == 53
    with pytest.raises(Invalid, match="cursor"):
        kept.database.run(places.stays_page, Filters(), cursor="nonsense", limit=7)


def test_changes_are_listed_latest_first_and_narrowed_down(kept: Kept) -> None:
    kept.take(0, {(1, 10): "p1", (2, 10): "p1"})
    kept.take(5, {(1, 10): "p2"})
    kept.take(20, {}, down=("p2",))

    def listed(**narrow: object) -> list[tuple[str, int]]:
        given = {"since": None, "until": None, "switch_id": None, "mac": None, "kinds": (), **narrow}
        page = kept.database.run(overview.changes_page, cursor=None, limit=50, **given)
        return [(row.kind, 0 if row.mac is None else int(row.mac) & 0xFF) for row in page.items]

    assert set(listed(since=at(20))) == {("gone", 1), ("gone", 2)}
    assert listed(since=at(5), until=at(20)) == [("quiet", 2), ("moved", 1)]
    assert listed(mac=mac(2), kinds=("appeared",)) == [("appeared", 2)]


def test_a_port_where_another_switch_is_learned_leads_to_it(kept: Kept) -> None:
    other = add(kept.database, "core-1")
    with kept.database.engine.begin() as connection:
        connection.execute(
            inventory.switch.update().where(inventory.switch.c.id == other.id).values(bridge_address=mac(9))
        )
    kept.take(0, {(9, 99): "p24", (1, 10): "p1"})
    known = kept.database.run(topology_facts)
    assert known.seen == {("quay-1", "p24"): {"core-1"}}
    assert list(kept.database.run(ids_of_ports, [("quay-1", "p24"), ("quay-1", "p99")])) == [
        ("quay-1", "p24")
    ]
    assert infer(known).leads_to(("quay-1", "p24")) == ("core-1",)
    kept.database.run(set_role, kept.switch.id, "p24", "access")
    role = infer(kept.database.run(topology_facts)).role(("quay-1", "p24"))
    assert (role.role, role.ground) == (Role.ACCESS, Ground.BY_HAND)
    with pytest.raises(NotFound):
        kept.database.run(set_role, kept.switch.id, "p99", "access")


def test_a_neighbour_that_is_a_known_switch_is_next_to_the_port_and_to_its_bundle(kept: Kept) -> None:
    core, far = add(kept.database, "core-1"), add(kept.database, "quay-9")
    with kept.database.engine.begin() as connection:
        for row, address in ((core, mac(8)), (far, mac(9))):
            of = inventory.switch.c.id == row.id
            connection.execute(inventory.switch.update().where(of).values(bridge_address=address))
    told = Neighbour(port="p23", chassis=str(mac(8)), chassis_mac=mac(8), name="core-1")
    taken = reading(0, {(8, 99): "p24", (9, 99): "p24"})
    ports = tuple(replace(one, aggregate="p24") if one.name == "p23" else one for one in taken.ports)
    taken = replace(taken, ports=ports, neighbours=(told,))
    changes = kept.tracker.apply(taken)
    kept.recorder.reading(kept.switch.id, taken, changes, kept.tracker.marks("quay-1"))
    roles = infer(kept.database.run(topology_facts)).roles()
    assert {at: set(role.leads_to) for at, role in roles.items()} == {
        ("quay-1", "p23"): {"core-1"},
        ("quay-1", "p24"): {"core-1", "quay-9"},
    }


def test_a_removed_switch_keeps_its_history_and_frees_its_name(kept: Kept) -> None:
    kept.take(0, {(1, 10): "p1"})
    ends = kept.tracker.forget("quay-1", at(9))
    kept.database.run(inventory.remove_switch, kept.switch.id, at(9), ends)
    with pytest.raises(NotFound):
        kept.database.run(inventory.get_switch, "quay-1")
    assert [row.stay.ending for row in kept.stays(open_only=False)] == [Ending.REMOVED]
    assert add(kept.database).id != kept.switch.id
    with pytest.raises(Conflict, match="already"):
        add(kept.database)


def test_health_keeps_since_when(kept: Kept) -> None:
    for minutes in (0, 1, 2):
        kept.recorder.failure(kept.switch.id, at(minutes), 12, "silent", "no answer")
    row = kept.database.run(inventory.get_switch, "quay-1")
    assert (row.health, row.health_since, row.tried_at, row.error) == ("silent", at(0), at(2), "no answer")
    kept.take(3, {})
    row = kept.database.run(inventory.get_switch, "quay-1")
    assert (row.health, row.health_since, row.error, row.last_complete_at) == ("read", at(3), None, at(3))


def test_old_records_go_and_open_stays_stay(kept: Kept) -> None:
    kept.take(0, {(1, 10): "p1", (2, 10): "p2"})
    kept.take(5, {(1, 10): "p3", (2, 10): "p2"})
    kept.take(60, {(1, 10): "p3", (2, 10): "p2"})
    gone = drop_old(kept.database, readings_before=at(30), history_before=at(30))
    assert gone == {
        "reading": 2,
        "change_log": 3,
        "stay": 1,
        "ip_stay": 0,
        "port_uplink": 0,
        "port_link": 24,
    }
    assert sorted(row.stay.place.port for row in kept.stays(open_only=False)) == ["p2", "p3"]
    assert drop_old(kept.database, readings_before=at(30), history_before=at(30))["reading"] == 0


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


def test_ip_addresses_are_kept_as_intervals_and_found_from_both_sides(kept: Kept) -> None:
    def take(minutes: float, cache: dict[str, MacAddress], *, partial: bool = False) -> None:
        broke = (Gap(table="ipNetToMediaTable", why="no answer", breaks=False),) if partial else ()
        taken = replace(reading(minutes, {}), addresses=cache, gaps=broke)
        kept.recorder.reading(kept.switch.id, taken, kept.tracker.apply(taken), kept.tracker.marks("quay-1"))

    take(0, {"10.20.0.7": mac(1), "10.20.0.8": mac(2)})
    take(1, {"10.20.0.7": mac(3)}, partial=True)
    assert kept.database.run(addresses.ips_of, [mac(1), mac(2), mac(3)]) == {
        mac(2): ["10.20.0.8"],
        mac(3): ["10.20.0.7"],
    }
    kept.recorder.forget()
    take(2, {"10.20.0.7": mac(3), "10.20.0.70": mac(4)})
    assert kept.database.run(addresses.macs_by_ip, "10.20.0.7", 10) == [mac(3), mac(4)]
    assert kept.database.run(addresses.macs_by_ip, "10.20.0.8", 10) == []
    assert kept.database.run(addresses.macs_by_ip, "10.20.0.7", 10, at(0.5)) == [mac(1)]
    for network, now, then in (
        ("10.20.0.8/30", [], [mac(2)]),
        ("10.0.0.0/7", [mac(3), mac(4)], [mac(1), mac(2)]),
    ):
        for instant, expected in ((None, now), (at(0.5), then)):
            found = kept.database.run(addresses.macs_in_network, ip_network(network), 10, instant)
            assert found == expected, (network, instant)
    kept.database.run(names.keep_names, {"10.20.0.7": "lamp.tarn.example"}, at(2), at(9))
    kept.database.run(names.keep_names, {"10.20.0.7": "mast.tarn.example"}, at(4), at(9))
    assert kept.database.run(names.macs_named_at, "lamp", 10, at(3)) == [mac(3)]
    assert kept.database.run(names.macs_named_at, "lamp", 10, at(4)) == []
    ips = kept.database.run(addresses.ips_of, [mac(1), mac(3)], at(3))
    hosts = kept.database.run(names.names_of, ips, at(3))
    assert {one: (each, hosts[one]) for one, each in ips.items()} == {
        mac(3): (["10.20.0.7"], ["lamp.tarn.example"])
    }
    with kept.database.engine.connect() as connection:
        rows = connection.execute(select(ip_stay.c.ip, ip_stay.c.ended_at).order_by(ip_stay.c.id)).all()
    assert [tuple(row) for row in rows] == [
        ("10.20.0.7", at(1)),
        ("10.20.0.8", at(2)),
        ("10.20.0.7", None),
        ("10.20.0.70", None),
    ]


def test_what_ports_were_is_told_as_of_an_instant(kept: Kept) -> None:
    kept.take(0, {(1, 10): "p1"})
    ids = kept.database.run(ids_of_ports, [("quay-1", "p1"), ("quay-1", "p24")])
    core, ring = past.Uplink(("core-1",), ("core-1",), "told"), past.Uplink(("ring-1",), ("ring-1",), "told")
    port = ids["quay-1", "p24"]
    assert kept.database.run(past.uplinks_at, at(1)) is None, "nothing is kept yet"
    kept.database.run(past.keep_uplinks, {port: core}, (), at(1))
    kept.database.run(past.keep_uplinks, {port: ring}, (), at(3))
    kept.database.run(past.keep_uplinks, {}, (port,), at(5))
    told = {minute: kept.database.run(past.uplinks_at, at(minute)) for minute in (0, 1, 4, 5)}
    assert told[0] is None and told[5] == {}
    assert [told[minute][port][1].leads_to for minute in (1, 4)] == [("core-1",), ("ring-1",)]
    assert kept.database.run(past.open_uplinks) == {}


def test_every_quiet_time_is_told_and_so_is_who_was_quiet_at_an_instant(kept: Kept) -> None:
    table = {(1, 10): "p1", (2, 10): "p2"}
    without = {(1, 10): "p1"}
    for minute, learned in enumerate((table, without, table, table, without, without, table)):
        kept.take(minute, learned)
    (stay_then,) = (placed.stay for placed in kept.database.run(places.places_of, [mac(2)], at(1.5))[mac(2)])
    times = kept.database.run(quiet_times, [mac(1), mac(2)], at(0), at(9))
    assert [(one.place, one.began_at, one.ended_at) for one in times] == [
        (stay_then.place, at(1), at(2)),
        (stay_then.place, at(4), at(6)),
    ]
    for minute, since in ((0.5, None), (1, 1), (1.5, 1), (2, None), (3.5, None), (5, 4), (6.5, None)):
        then = kept.database.run(quiet_since, [stay_then], at(minute))
        assert then == ({} if since is None else {stay_then.id: at(since)}), minute
    assert [one.ended_at for one in kept.database.run(quiet_times, [mac(2)], at(3), at(5))] == [None]


def test_the_link_of_a_port_is_kept_each_time_it_becomes_another(kept: Kept) -> None:
    for minute, oper in ((0, Oper.UP), (1, Oper.UP), (2, Oper.DOWN), (3, Oper.UP)):
        taken = reading(minute, {})
        ports = tuple(replace(one, oper=oper) if one.name == "p1" else one for one in taken.ports)
        taken = replace(taken, ports=ports)
        kept.recorder.reading(kept.switch.id, taken, kept.tracker.apply(taken), kept.tracker.marks("quay-1"))
    (port,) = kept.database.run(ids_of_ports, [("quay-1", "p1")]).values()
    told = kept.database.run(past.links_of_port, port, at(0), 10)
    assert [(one.at, one.oper) for one in told] == [(at(3), "up"), (at(2), "down"), (at(0), "up")]
    present, quiet, link = kept.database.run(past.ports_at, kept.switch.id, at(2))[port]
    assert (present, quiet, link) == (0, 0, past.LinkChange(at(2), "down"))


def test_addresses_that_changed_are_the_same_by_either_way_of_looking(kept: Kept) -> None:
    for minute in range(8):
        kept.take(minute, {(number, 10): f"p{1 + (number * minute) % 3}" for number in range(1, 7)})
    for begin, end in ((0, 3), (2, 8), (7, 9)):
        by_time, by_address = (
            kept.database.run(comparing.changed_macs, at(begin), at(end), None, 0, 4, much)
            for much in (1000, 0)
        )
        assert by_time == by_address


def test_what_is_said_of_ports_is_kept_and_follows_the_switch(kept: Kept) -> None:
    run, port = kept.database.run, Level(switch="quay-1", port="p1")
    run(rules.set_rule, Level(group="access"), 2, None)
    run(rules.set_rule, port, None, True)
    for note in ("a lamp", "the same lamp"):
        run(rules.enrol, port, Enrolled("021a05", 30), note, "Mara", at(0))
    with kept.database.engine.begin() as connection:
        connection.execute(inventory.switch.update().values(in_groups=["access"]))
    rule = run(rules.rule_book).rule(("quay-1", "p1"))
    assert rule == PortRule(2, True, (Enrolled("021a05", 30),))
    run(inventory.change_switch, "quay-1", {"name": "quay-9"})
    assert run(rules.rule_book).rule(("quay-9", "p1")) == rule
    group, own = run(rules.all_rules)
    assert (group.level, own.level) == (Level(group="access"), Level(switch="quay-9", port="p1"))
    (entry,) = own.roll
    assert (entry.note, entry.by, entry.at) == ("the same lamp", "Mara", at(0))
    run(rules.strike, entry.id)
    with pytest.raises(NotFound, match="entry of a roll"):
        run(rules.strike, entry.id)
    run(rules.set_rule, Level(group="access"), None, None)
    run(inventory.remove_switch, kept.switch.id, at(1), ())
    assert run(rules.all_rules) == []
