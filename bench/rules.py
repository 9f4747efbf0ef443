"""Rules of ports: evaluating a reading, the roll call of a network, and rehearsing a month of it.

The evaluation is measured beside what a reading costs anyhow; the others through the running service, over a
database with 500 switches, 250,000 present addresses and a million stays within 30 days.
"""

import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Sequence
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import httpx
from tests.support.ports import free_tcp_port

from bench.filled import fill
from bench.fleet import BEAT, PORTS, START, Fleet
from bench.measure import row
from kiteroll.client import (
    Client,
    ServiceUnreachable,
    begin_rehearsal,
    change_rules,
    enrol,
    rehearsal,
    roll_calls,
)
from kiteroll.core.findings.port_rule_watch import PortRuleWatch
from kiteroll.core.model.mac_table import MacTable
from kiteroll.core.policy.levels import EVERYTHING, Level
from kiteroll.core.policy.occupancy import NotCounted
from kiteroll.core.policy.port_rules import Rule
from kiteroll.core.policy.roll import Enrolled
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.replay.memory_facts import MemoryFacts
from kiteroll.core.topology.roles import Topology
from kiteroll.core.tracking.tracker import Tracker
from kiteroll.schemas.api import NewEntry, NewRehearsal, RuleChange, RulesPatch
from kiteroll.store import inventory
from kiteroll.store.database import Database
from kiteroll.store.migrate import migrate
from kiteroll.store.private_server import PrivateServer
from kiteroll.store.reading_writer import ReadingWriter

SWITCHES, ROWS, STAYS, DAYS = 500, 500, 1_000_000, 30
FIRST_MAC = 0x021A00000000
_EVALUATED = 200
"""Switches of the first part."""


def main() -> None:
    with tempfile.TemporaryDirectory() as directory:
        _evaluation(Path(directory) / "evaluated")
        _service(Path(directory) / "data")


# --- what a reading costs, without rules and with them ------------------------------------


def _evaluation(directory: Path) -> None:
    server = PrivateServer(directory)
    database = Database(server.start(), pool_size=2)
    try:
        migrate(database)
        _rounds(database)
    finally:
        database.close()
        server.stop()


class _Facts(MemoryFacts):
    """Tables of a tracker that something else drives."""

    def __init__(self, tracker: Tracker) -> None:
        super().__init__(hold_time=None, shared=(), rules=RuleBook())
        self.tracker = tracker

    def table(self, switch: str) -> MacTable:
        return self.tracker.table(switch)

    def port_facts(self, ports: Sequence[Any]) -> dict[Any, Any]:
        return {}


def _rules() -> RuleBook:
    """1,000 rules: for everything, switches, ranges and single ports; prefixes and addresses enrolled."""
    levels = [EVERYTHING]
    levels += [Level(switch=f"switch-{number}") for number in range(_EVALUATED)]
    levels += [Level(switch=f"switch-{number}", ports="p1-p12") for number in range(_EVALUATED)]
    levels += [
        Level(switch=f"switch-{number % _EVALUATED}", port=f"p{13 + number // 200}") for number in range(599)
    ]
    rules = {level: Rule(seats=40, roll=(Enrolled(f"{FIRST_MAC:012x}", level=level),)) for level in levels}
    rules[EVERYTHING] = Rule(watched=True, seats=40, roll=(Enrolled("021a00"), Enrolled("021a01")))
    return RuleBook(rules=rules)


def _rounds(database: Database) -> None:
    fleet, tracker, writer = Fleet(_EVALUATED, ROWS), Tracker(), ReadingWriter(database)
    ids = [_added(database, number) for number in range(_EVALUATED)]
    rules, watch, facts = _rules(), PortRuleWatch(), _Facts(tracker)
    not_counted, topology = NotCounted(), Topology({})
    for round_ in range(5):
        if round_:
            fleet.churn(0.01)
        readings = [fleet.reading(switch, round_) for switch in range(_EVALUATED)]
        took = evaluated = 0.0
        for switch_id, reading in zip(ids, readings, strict=True):
            began = time.perf_counter()
            changes = tracker.apply(reading)
            writer.write_reading(switch_id, reading, changes, tracker.checkpoint(reading.switch))
            took += time.perf_counter() - began
            began = time.perf_counter()
            watch.evaluate(
                [reading.switch], facts, rules, topology, not_counted, reading.taken_at, timedelta(seconds=20)
            )
            evaluated += time.perf_counter() - began
        if round_ > 1:
            row(
                f"evaluating {ROWS} rows under {len(rules.rules):,} rules, 1 % churn",
                f"{evaluated / _EVALUATED * 1000:.2f} ms",
                f"{evaluated / (took + evaluated):.1%} of its processing; tracking and storing it "
                f"{took / _EVALUATED * 1000:.2f} ms",
            )


def _added(database: Database, number: int) -> int:
    values: dict[str, Any] = {"host": "127.0.0.1", "udp_port": 161, "in_groups": [], "notes": ""}
    values |= {"credential_sealed": b"", "interval_s": int(BEAT.total_seconds()), "enabled": True}
    return database.run(inventory.add_switch, START, name=f"switch-{number}", **values).id


# --- the running service ------------------------------------------------------------------


def _service(data: Path) -> None:
    data.mkdir(parents=True)
    began = time.perf_counter()
    fill(data / "database", _statements())
    row(f"filled with {STAYS:,} stays", f"{time.perf_counter() - began:.0f} s wall")
    port = free_tcp_port()
    service = subprocess.Popen(
        [sys.executable, "-m", "kiteroll.cli", "up", "--data", str(data), "--listen-port", str(port)],
        stderr=subprocess.DEVNULL,
        stdout=subprocess.DEVNULL,
    )
    try:
        with _client(port, data) as client:
            _measure(client)
    finally:
        service.terminate()
        service.wait(60)


def _client(port: int, data: Path) -> Client:
    until = time.monotonic() + 300
    while time.monotonic() < until:
        try:
            client = Client(f"http://127.0.0.1:{port}", (data / "token").read_text().strip())
            client.send(roll_calls(limit=1))
            return client
        except (ServiceUnreachable, FileNotFoundError, httpx.TransportError):
            time.sleep(0.3)
    raise RuntimeError("the service does not start")


def _measure(client: Client) -> None:
    client.send(enrol(NewEntry(prefix="021a00")))
    changes = [RuleChange(seats=40, watched=True), RuleChange(group="access", seats=18)]
    client.send(change_rules(RulesPatch(changes=changes)))
    time.sleep(5)  # the new rules are evaluated meanwhile
    for label, of in (("ports with a rule, a page", {}), ("ports at which one is broken", {"broken": True})):
        wall = _median(lambda of=of: client.send(roll_calls(limit=500, **of)))  # type: ignore[misc]
        totals = client.send(roll_calls(limit=1)).totals
        row(
            f"roll call of {SWITCHES} switches, {label}",
            f"{wall:.2f} s",
            f"{totals.ports:,} ports, {totals.present:,} present, {totals.broken:,} broken",
        )
    now = datetime.now(UTC)
    for days in (DAYS / 4, DAYS / 2, DAYS):
        for label, change in (
            ("as set", []),
            ("11 seats instead of 18", [RuleChange(group="access", seats=11)]),
        ):
            wanted = NewRehearsal(changes=change, since=now - timedelta(days=days))
            began = time.perf_counter()
            run = client.send(begin_rehearsal(wanted))
            while run.state == "running":
                time.sleep(0.1)
                run = client.send(rehearsal(run.id, breaches=0))
            took = time.perf_counter() - began
            found = run.findings
            assert found is not None, run.error
            row(
                f"rehearsal of {days:g} days x {SWITCHES} switches, {label}",
                f"{took:.1f} s",
                f"{found.stays:,} stays, {found.reported:,} findings; "
                f"{took / found.stays * 1e6:.1f} us a stay",
            )


def _median(work: Callable[[], object]) -> float:
    took = []
    for _ in range(5):
        began = time.perf_counter()
        work()
        took.append(time.perf_counter() - began)
    return sorted(took)[2]


def _statements() -> list[str]:
    now, ports, present = "UTC_TIMESTAMP(6)", len(PORTS), SWITCHES * ROWS
    ended = STAYS - present
    began = f"{now} - INTERVAL {DAYS} DAY + INTERVAL seq * {DAYS * 86400 / ended:.4f} SECOND"
    return [
        f"""INSERT INTO switch (id, name, name_key, host, udp_port, in_groups, notes, source, interval_s,
            enabled, added_at, ageing_s, last_at, last_complete_at, health)
            SELECT seq, CONCAT('switch-', seq - 1), CONCAT('switch-', seq - 1), '', 161, '["access"]', '',
            'files', 300, 1, {now} - INTERVAL {DAYS} DAY, 300, {now} - INTERVAL 1 HOUR,
            {now} - INTERVAL 1 HOUR, 'read' FROM seq_1_to_{SWITCHES}""",
        f"""INSERT INTO port (id, switch_id, name, number, alias, admin_up, oper, bridged, duplex, tagged,
            untagged, spanning_tree, operator_role, there)
            SELECT seq, 1 + (seq - 1) DIV {ports}, CONCAT('p', 1 + (seq - 1) MOD {ports}),
            1 + (seq - 1) MOD {ports}, '', 1, 'up', 1, '', '[]', '[]', '', NULL, 1
            FROM seq_1_to_{SWITCHES * ports}""",
        f"""INSERT INTO endpoint (mac, first_seen_at) SELECT {FIRST_MAC} + seq - 1,
            {now} - INTERVAL {DAYS} DAY FROM seq_1_to_{present}""",
        f"""INSERT INTO stay (id, mac, switch_id, port_id, vlan, began_at, resumed_at)
            SELECT seq, {FIRST_MAC} + seq - 1, 1 + (seq - 1) DIV {ROWS},
            1 + ((seq - 1) DIV {ROWS}) * {ports} + ((seq - 1) MOD {ROWS}) MOD {ports},
            10 + ((seq - 1) MOD {ROWS}) MOD 5,
            {now} - INTERVAL (seq * 7919) MOD {DAYS * 86400} SECOND,
            {now} - INTERVAL (seq * 7919) MOD {DAYS * 86400} SECOND FROM seq_1_to_{present}""",
        f"""INSERT INTO stay (id, mac, switch_id, port_id, vlan, began_at, resumed_at, last_seen_at,
            ended_at, ending)
            SELECT {present} + seq, {FIRST_MAC} + (seq * 7919) MOD {present}, 1 + seq MOD {SWITCHES},
            1 + (seq MOD {SWITCHES}) * {ports} + (seq DIV {SWITCHES}) MOD {ports}, 10 + seq MOD 5,
            {began}, {began}, {began} + INTERVAL 14000 SECOND, {began} + INTERVAL 14400 SECOND, 'MOVED'
            FROM seq_1_to_{ended}""",
    ]
