"""Readings of a made-up fleet, for the tracker and the store to be measured with."""

import random
from datetime import UTC, datetime, timedelta

from kiteroll.core.model.reading import Device, Oper, Port, Reading, key_of
from kiteroll.store import inventory
from kiteroll.store.database import Database

START = datetime(2026, 5, 4, tzinfo=UTC)
BEAT = timedelta(minutes=5)
PORTS = tuple(Port(number=number, name=f"p{number}", oper=Oper.UP) for number in range(1, 49))


def add_switch(database: Database, number: int, site: str = "") -> int:
    """Into the inventory; returns its id."""
    values = {"name": f"switch-{number}", "host": "127.0.0.1", "udp_port": 161, "in_groups": [], "site": site}
    more = {"notes": "", "credential_sealed": b"", "interval_s": 300, "enabled": True}
    return database.run(inventory.add_switch, START, **values, **more).id


class Fleet:
    def __init__(self, switches: int, rows: int, seed: int = 1) -> None:
        self.switches = switches
        self._random = random.Random(seed)
        self._next_mac = switches * rows
        self.tables = [
            {key_of(0x021A00000000 + number * rows + row, 10 + row % 5): 1 + row % 48 for row in range(rows)}
            for number in range(switches)
        ]

    def reading(self, switch: int, round_: int) -> Reading:
        at = START + round_ * BEAT + timedelta(milliseconds=switch)
        ticks = int((at - START).total_seconds() * 100) + 1_000_000
        return Reading(
            switch=f"switch-{switch}",
            taken_at=at,
            device=Device(name=f"switch-{switch}", uptime_ticks=ticks, ageing=BEAT),
            ports=PORTS,
            learned=dict(self.tables[switch]),
        )

    def churn(self, share: float) -> None:
        """On every switch that share of the addresses changes: half move to another port, a quarter
        go, and as many new ones come."""
        for table in self.tables:
            some = self._random.sample(list(table), round(len(table) * share))
            for at, key in enumerate(some):
                if at % 4 < 2:
                    table[key] = table[key] % 48 + 1
                elif at % 4 == 2:
                    del table[key]
                else:
                    self._next_mac += 1
                    table[key_of(0x021A00000000 + self._next_mac, 10)] = 1 + at % 48

    def move_all(self) -> None:
        for table in self.tables:
            for key in table:
                table[key] = table[key] % 48 + 1
