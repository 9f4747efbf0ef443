"""What the Debian package holds of ours, and what the service tells systemd."""

import gzip
import os
import shutil
import socket
import subprocess
import sys
from pathlib import Path

import pytest
from scripts.make_deb import ROLES, unit_of
from scripts.man_page import page

from kiteroll.app.service_manager import ServiceManager
from kiteroll.cli.main import build_parser
from kiteroll.store.database import Database
from kiteroll.store.database_lease import DatabaseLease
from tests.support.harness import NewService
from tests.support.ports import free_tcp_port

DEB = Path(__file__).parents[2] / "deb"
READY = b"READY=1\nSTATUS="
_WORST_SCORE = 2.5
"""Of systemd-analyze: 0 is locked up, 10 wide open."""


def test_the_service_reports_when_it_is_ready_alive_and_stopping(
    new_service: NewService, tmp_path: Path
) -> None:
    with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as manager:
        manager.bind(str(tmp_path / "notify"))
        manager.settimeout(30)
        reported = {"NOTIFY_SOCKET": str(tmp_path / "notify"), "WATCHDOG_USEC": "600000"}
        service = new_service(environment=reported)
        said = {manager.recv(100) for _ in range(4)}
        assert said == {READY, b"WATCHDOG=1"}
        assert service.end() == 0
        while (last := manager.recv(100)) == b"WATCHDOG=1":
            pass
        assert last == b"STOPPING=1"


def test_one_that_stands_by_counts_as_started_and_says_what_it_waits_for(
    new_service: NewService, database: Database, tmp_path: Path
) -> None:
    """systemd ends a start that takes three minutes."""
    tracks = DatabaseLease(database)
    tracks.hold()
    with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as manager:
        manager.bind(str(tmp_path / "notify"))
        manager.settimeout(30)
        environment = {
            "NOTIFY_SOCKET": str(tmp_path / "notify"),
            "KITEROLL_DATABASE_URL": database.url.render_as_string(hide_password=False),
            "KITEROLL_DATABASE_STANDBY": "true",
        }
        standby = new_service(start=False, environment=environment)
        standby.start(wait=False)
        said = manager.recv(1000)
        assert said.startswith(READY + b"the database ") and b"is in use by another Kite Roll" in said
        tracks.release()
        assert manager.recv(1000) == READY
        assert standby.end() == 0


@pytest.mark.parametrize(
    "command",
    [("tracker", "--area", "afloat"), ("collector", "run", "--name", "island-1", "--site", "Island")],
    ids=lambda command: command[0],
)
def test_so_does_a_tracker_and_a_collector_though_nobody_it_needs_is_there(
    command: tuple[str, ...], tmp_path: Path
) -> None:
    away = f"127.0.0.1:{free_tcp_port()}"
    with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as manager:
        manager.bind(str(tmp_path / "notify"))
        manager.settimeout(30)
        environment = {
            **os.environ,
            "NOTIFY_SOCKET": str(tmp_path / "notify"),
            "WATCHDOG_USEC": "600000",
            "KITEROLL_DATA": str(tmp_path / "data"),
            "KITEROLL_DATABASE_URL": f"mysql://kiteroll:none@{away}/kiteroll",
            "KITEROLL_BUS_URL": f"nats://{away}",
        }
        process = subprocess.Popen([sys.executable, "-m", "kiteroll.cli", *command], env=environment)
        said = [manager.recv(100) for _ in range(4)]
        assert (said[0], set(said[1:])) == (READY, {b"WATCHDOG=1"})
        process.terminate()
        while (last := manager.recv(100)) == b"WATCHDOG=1":
            pass
        assert (last, process.wait(30)) == (b"STOPPING=1", 0)


def test_without_systemd_nothing_is_said() -> None:
    silent = ServiceManager({})
    silent.ready()
    assert not silent.watches
    assert not ServiceManager(
        {"NOTIFY_SOCKET": "/nowhere", "WATCHDOG_USEC": "1", "WATCHDOG_PID": "1"}
    ).watches


@pytest.mark.skipif(shutil.which("systemd-analyze") is None, reason="no systemd here")
@pytest.mark.parametrize("role", ["", *ROLES])
def test_the_units_are_locked_up(role: str, tmp_path: Path) -> None:
    unit = tmp_path / "kiteroll.service"
    unit.write_text(unit_of(role) if role else (DEB / unit.name).read_text())
    command = ["systemd-analyze", "security", "--offline=true", str(unit)]
    said = subprocess.run(command, capture_output=True, text=True, timeout=60).stdout
    score = float(said.rsplit("kiteroll.service: ", 1)[1].split()[0])
    assert score <= _WORST_SCORE, said


def test_each_other_role_has_a_unit_of_its_own_command() -> None:
    for role, (what, command) in ROLES.items():
        lines = unit_of(role).splitlines()
        assert f"ExecStart=/usr/bin/{command}" in lines and f"Description=Kite Roll: {what}" in lines
        assert sum(line.startswith("ExecStart=") for line in lines) == 1
        given, options = command.split(" --config ")[0].split()[1:], ["--config", "x.toml"]
        assert build_parser().parse_args([*given, *options]).config == "x.toml"


@pytest.mark.parametrize("script", ["postinst", "prerm", "postrm"])
def test_scripts_of_the_package_can_be_read_by_sh(script: str) -> None:
    subprocess.run(["sh", "-n", DEB / script], check=True)


def test_the_manual_has_every_command_and_no_roff_of_its_own() -> None:
    text = page()
    assert gzip.compress(text.encode(), mtime=0)
    for line in text.splitlines():
        assert not line.startswith(("'", "..")), line
        if line.startswith("."):
            assert line.split()[0] in {".TH", ".SH", ".SS", ".TP", ".B", ".nf", ".fi"}, line
    for name in (r"kiteroll alert\-route set", r"kiteroll backup restore", r"\-\-passphrase\-file FILE"):
        assert name in text
    command = [sys.executable, "-m", "scripts.man_page"]
    assert subprocess.run(command, capture_output=True, text=True, check=True).stdout == text
