"""Addresses that are not to be cut off: this machine's, its router's, and whoever asks."""

from pathlib import Path

import pytest
from sqlalchemy import insert

from kiteroll.app.port_actions import vital_addresses
from kiteroll.app.port_actions.vital_addresses import (
    VitalAddresses,
    default_routers,
    neighbours,
    own_addresses,
)
from kiteroll.store import inventory
from kiteroll.store.database import Database
from kiteroll.store.tables import ip_stay
from tests.support.factories import at, mac

ROUTES = (
    "Iface\tDestination\tGateway\tFlags\neth0\t00000000\t0100140A\t0003\neth0\t0000140A\t00000000\t0001\n"
)
CACHE = (
    "IP address HW type Flags HW address Mask Device\n"
    "10.20.0.1 0x1 0x2 02:1a:01:00:00:01 * eth0\n"
    "10.20.0.9 0x1 0x0 00:00:00:00:00:00 * eth0\n"
)


def test_what_linux_reports_of_interfaces_routes_and_neighbours(tmp_path: Path) -> None:
    for name, address in (("eth0", str(mac(7))), ("lo", "00:00:00:00:00:00"), ("tun0", "")):
        (tmp_path / name).mkdir()
        (tmp_path / name / "address").write_text(f"{address}\n")
    (tmp_path / "route").write_text(ROUTES)
    (tmp_path / "arp").write_text(CACHE)
    assert own_addresses(tmp_path) == [mac(7)]
    assert default_routers(tmp_path / "route") == ["10.20.0.1"]
    assert neighbours(tmp_path / "arp") == {"10.20.0.1": mac(1)}
    assert default_routers(tmp_path / "none") == [] and own_addresses(tmp_path / "none") == []


def test_each_is_known_by_whose_it_is(database: Database, monkeypatch: pytest.MonkeyPatch) -> None:
    """The router by the neighbour cache, whoever asks by what routers of the inventory reported."""
    monkeypatch.setattr(vital_addresses, "own_addresses", lambda: [mac(7)])
    monkeypatch.setattr(vital_addresses, "default_routers", lambda: ["10.20.0.1"])
    monkeypatch.setattr(vital_addresses, "neighbours", lambda: {"10.20.0.1": mac(1)})
    row = database.run(
        inventory.add_switch,
        at(0),
        **{"name": "core-1", "host": "192.0.2.1", "udp_port": 161, "in_groups": [], "notes": ""},
        **{"interval_s": 60, "enabled": True, "source": "files"},
    )
    with database.engine.begin() as connection:
        held = {"ip": "10.20.0.77", "mac": mac(3), "source_id": row.id, "began_at": at(0)}
        connection.execute(insert(ip_stay).values(**held))
    vital = VitalAddresses(database, ("127.0.0.1",))
    assert vital.known("") == {mac(7): "this service", mac(1): "its default router"}
    assert vital.known("10.20.0.77")[mac(3)] == "whoever asks"
    assert mac(3) not in vital.known("127.0.0.1")
    assert VitalAddresses(database, ("10.20.0.77",)).known("")[mac(3)] == "its database"
