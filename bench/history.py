"""The API at full size: 500,000 endpoints, 10 million ended stays; calls at rest and while a round runs.

`python -m bench history`; KITEROLL_BENCH_STAYS sets another number of ended stays, and
KITEROLL_BENCH_DATA names a directory in which the filled database is kept for the next run.
"""

import multiprocessing
import os
import statistics
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from multiprocessing.synchronize import Event
from pathlib import Path
from typing import Any

import httpx

from bench.filled import fill
from bench.fleet import PORTS, Fleet
from bench.measure import row
from bench.service import running
from kiteroll.core.model.reading import Device, Reading
from kiteroll.schemas.reading_convert import to_document

SWITCHES, ROWS = 1000, 500
ENDED = int(os.environ.get("KITEROLL_BENCH_STAYS", "10000000"))
KEPT = os.environ.get("KITEROLL_BENCH_DATA")
CALLS = 100
ROUND_S = 60
"""A round of all switches is brought in this time: five times as fast as their interval asks for."""
FIRST_MAC = 0x021A00000000
NAMED = SWITCHES * ROWS // 5
"""Endpoints with an IP address and a host name."""
_IP = "CONCAT('10.', seq DIV 65536, '.', seq DIV 256 % 256, '.', seq % 256)"


def main() -> None:
    with tempfile.TemporaryDirectory() as directory:
        data = Path(KEPT or directory) / "data"
        if not data.exists():
            data.mkdir(parents=True)
            began = time.perf_counter()
            fill(data / "database", statements(ENDED))
            row(f"filled with {ENDED:,} ended stays", f"{time.perf_counter() - began:.0f} s wall")
        began = time.perf_counter()
        with running(data) as (port, _), client(port, data) as http:
            row("start of the service", f"{time.perf_counter() - began:.1f} s wall")
            _measure(http, "at rest")
            # A process of its own: what is measured must not wait for the measuring.
            spawned = multiprocessing.get_context("spawn")
            stop = spawned.Event()
            feeder = spawned.Process(target=feed, args=(port, data, stop))
            feeder.start()
            time.sleep(5)
            _measure(http, "in a round")
            stop.set()
            feeder.join()


def client(port: int, data: Path) -> httpx.Client:
    until = time.monotonic() + 300
    while time.monotonic() < until:
        try:
            token = (data / "token").read_text().strip()
            options: dict[str, Any] = {
                "base_url": f"http://127.0.0.1:{port}/api/v1",
                "headers": {"Authorization": f"Bearer {token}"},
                "timeout": 120,
                "trust_env": False,
            }
            httpx.get(f"{options['base_url']}/health", headers=options["headers"]).raise_for_status()
            return httpx.Client(**options)
        except (httpx.TransportError, FileNotFoundError):
            time.sleep(0.2)
    raise RuntimeError("the service does not start")


def _measure(http: httpx.Client, when: str) -> None:
    now = datetime.now(UTC)

    def ask(path: str, **params: Any) -> Callable[[int], None]:
        def call(number: int) -> None:
            given = {key: value(number) if callable(value) else value for key, value in params.items()}
            http.get(path, params=given).raise_for_status()

        return call

    def switch(number: int) -> str:
        return f"switch-{number * 7 % SWITCHES}"

    def ago(days: float) -> str:
        return (now - timedelta(days=days)).isoformat()

    calls = (
        ("a switch's addresses", ask("/stays", switch=switch)),
        ("a VLAN's addresses, a page", ask("/stays", vlan=12)),
        ("endpoints, a page", ask("/endpoints")),
        ("changes, a page", ask("/changes")),
        ("changes of a switch, a page", ask("/changes", switch=switch)),
        ("readings, a page", ask("/readings")),
        ("findings, a page", ask("/findings")),
        ("switches, a page", ask("/switches")),
        ("find by four digits", ask("/search", q=lambda number: f"{number * 257 % 65536:04x}")),
        (
            "one endpoint's history",
            ask("/stays", mac=lambda number: f"{FIRST_MAC + number * 991:012x}", ended=True),
        ),
        ("a switch as of 100 days ago", ask("/stays", switch=switch, at=ago(100))),
        ("a switch compared, 30 days", ask("/differences", switch=switch, since=ago(30))),
        ("everything compared, 1 hour", ask("/differences", since=ago(1 / 24))),
    )
    for label, call in calls:
        took = []
        for number in range(CALLS):
            began = time.perf_counter()
            call(number)
            took.append((time.perf_counter() - began) * 1000)
        p95 = statistics.quantiles(took, n=20)[-1]
        row(f"{label}, {when}", f"p95 {p95:.1f} ms", f"median {statistics.median(took):.1f} ms")


def feed(port: int, data: Path, stop: Event) -> None:
    """One round after another of readings with 1 % churn, evenly over ROUND_S."""
    fleet = Fleet(SWITCHES, ROWS)
    due = time.monotonic()
    with client(port, data) as http:
        while not stop.is_set():
            fleet.churn(0.01)
            for switch in range(SWITCHES):
                due = max(due + ROUND_S / SWITCHES, time.monotonic() - 1)
                if stop.wait(max(0.0, due - time.monotonic())):
                    return
                at = datetime.now(UTC)
                reading = Reading(
                    switch=f"switch-{switch}",
                    taken_at=at,
                    device=Device(name=f"switch-{switch}", ageing=timedelta(minutes=5)),
                    ports=PORTS,
                    learned=dict(fleet.tables[switch]),
                )
                http.post("/readings", json=[to_document(reading).model_dump(mode="json")]).raise_for_status()


def statements(ended: int) -> list[str]:
    now = "UTC_TIMESTAMP(6)"
    ports = len(PORTS)
    return [
        f"""INSERT INTO switch (id, name, name_key, host, udp_port, in_groups, notes, source, interval_s,
            enabled, added_at, ageing_s, last_at, last_complete_at, health)
            SELECT seq, CONCAT('switch-', seq - 1), CONCAT('switch-', seq - 1), '', 161, '[]', '', 'files',
            300, 1, {now}, 300, {now} - INTERVAL 1 HOUR, {now} - INTERVAL 1 HOUR,
            'read' FROM seq_1_to_{SWITCHES}""",
        f"""INSERT INTO port (id, switch_id, name, number, alias, admin_up, oper, bridged, duplex, tagged,
            untagged, spanning_tree, operator_role, there)
            SELECT seq, 1 + (seq - 1) DIV {ports}, CONCAT('p', 1 + (seq - 1) MOD {ports}),
            1 + (seq - 1) MOD {ports}, IF(seq MOD 3, CONCAT('desk ', seq), ''), 1, 'up',
            1, '', '[]', '[]', '', IF((seq - 1) MOD {ports} < {ports} - 2, NULL, 'uplink'), 1
            FROM seq_1_to_{SWITCHES * ports}""",
        f"""INSERT INTO endpoint (mac, first_seen_at) SELECT {FIRST_MAC} + seq - 1, {now} - INTERVAL 399 DAY
            FROM seq_1_to_{SWITCHES * ROWS}""",
        f"""INSERT INTO ip_stay (ip, mac, source_id, began_at) SELECT {_IP}, {FIRST_MAC} + 5 * seq, 1,
            {now} - INTERVAL 20 DAY FROM seq_0_to_{NAMED - 1}""",
        f"""INSERT INTO ip_name (ip, name, began_at) SELECT {_IP}, CONCAT('host-', seq, '.tarn.example'),
            {now} - INTERVAL 20 DAY FROM seq_0_to_{NAMED - 1}""",
        f"""INSERT INTO stay (id, mac, switch_id, port_id, vlan, began_at, resumed_at)
            SELECT seq, {FIRST_MAC} + seq - 1, 1 + (seq - 1) DIV {ROWS},
            1 + ((seq - 1) DIV {ROWS}) * {ports} + ((seq - 1) MOD {ROWS}) MOD {ports},
            10 + ((seq - 1) MOD {ROWS}) MOD 5, {now} - INTERVAL 2 HOUR, {now} - INTERVAL 2 HOUR
            FROM seq_1_to_{SWITCHES * ROWS}""",
        f"""INSERT INTO stay (id, mac, switch_id, port_id, vlan, began_at, resumed_at, last_seen_at,
            ended_at, ending)
            SELECT {SWITCHES * ROWS} + seq, {FIRST_MAC} + (seq * 7919) MOD {SWITCHES * ROWS},
            1 + seq MOD {SWITCHES}, 1 + (seq MOD {SWITCHES}) * {ports} + seq MOD {ports}, 10 + seq MOD 5,
            {now} - INTERVAL 398 DAY + INTERVAL seq * {398 * 86400 / max(1, ended):.4f} SECOND,
            {now} - INTERVAL 398 DAY + INTERVAL seq * {398 * 86400 / max(1, ended):.4f} SECOND,
            {now} - INTERVAL 398 DAY + INTERVAL seq * {398 * 86400 / max(1, ended):.4f} + 7000 SECOND,
            {now} - INTERVAL 398 DAY + INTERVAL seq * {398 * 86400 / max(1, ended):.4f} + 7200 SECOND, 'MOVED'
            FROM seq_1_to_{max(1, ended)}""",
        f"""INSERT INTO change_log (at, kind, switch_id, mac, stay_id, port_id, vlan, ending)
            SELECT ended_at, 'moved', switch_id, mac, id, port_id, vlan, '' FROM stay
            WHERE id > {SWITCHES * ROWS} AND id MOD 4 = 0""",
    ]
