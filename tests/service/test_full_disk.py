"""A disk that is full, for real: a small file system of memory under the data directory."""

import os
import shutil
import subprocess
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path

import httpx
import pytest

from kiteroll.client import add_switch, health, readings
from kiteroll.core.model.reading import Port, Reading, key_of
from kiteroll.schemas.api import NewSwitch
from kiteroll.schemas.reading_convert import to_document
from tests.support.harness import Service, wait_until
from tests.support.ports import free_tcp_port

LEDGER = "ledger"
_SIZE = "512m"
_PORTS = tuple(Port(number=number, name=f"p{number}") for number in range(1, 9))


@pytest.fixture
def small_disk(tmp_path: Path) -> Iterator[Path]:
    place = tmp_path / "small"
    place.mkdir()
    mount = ["mount", "-t", "tmpfs", "-o", f"size={_SIZE}", "tmpfs", str(place)]
    if os.geteuid() != 0 or subprocess.run(mount, capture_output=True, check=False).returncode != 0:
        pytest.skip("a file system of memory cannot be mounted here")
    yield place
    subprocess.run(["umount", "-l", str(place)], check=True)


def _import(service: Service, number: int, *, rows: int = 500) -> datetime | None:
    """When the reading was taken, if it was acknowledged."""
    at = datetime.now(UTC)
    at -= timedelta(microseconds=at.microsecond % 1000)
    learned = {key_of(0x021A05000000 + number * rows + row, 10): 1 + row % 8 for row in range(rows)}
    taken = Reading(switch=LEDGER, taken_at=at, ports=_PORTS, learned=learned)
    try:
        answer = httpx.post(
            f"{service.url}/api/v1/readings",
            content=to_document(taken).model_dump_json(),
            headers={"Authorization": f"Bearer {service.token}", "Content-Type": "application/json"},
            timeout=3,
            trust_env=False,
        )
    except httpx.TransportError:
        return None  # it waits for the database, and so may we not
    return at if answer.status_code == httpx.codes.CREATED else None


def test_a_full_disk_ends_nothing_and_loses_nothing_that_was_acknowledged(small_disk: Path) -> None:
    service = Service(small_disk / "data", free_tcp_port())
    service.data.mkdir()
    service.start()
    filler = small_disk / "filler"
    try:
        with service.client() as client:
            client.send(add_switch(NewSwitch(name=LEDGER, source="files")))
        acknowledged = [_import(service, number) for number in range(3)]
        assert None not in acknowledged
        with filler.open("wb") as file:
            try:
                while True:
                    file.write(bytes(4 << 20))
                    file.flush()
            except OSError:
                pass
        assert shutil.disk_usage(small_disk).free < 4 << 20
        # Readings that are larger than what the database has put aside; each is refused, or kept for good.
        refused = 0
        for number in range(3, 60):
            at = _import(service, number)
            refused += at is None
            acknowledged += [at] if at is not None else []
            if refused >= 2:
                break
        assert refused, "the database had more put aside than all of these"
        assert service.process is not None and service.process.poll() is None, service.log[-2000:]
        with service.client() as client:
            assert client.send(health()).version
        filler.unlink()
        wait_until(lambda: _import(service, 100, rows=8), "readings to be taken again", seconds=90)
        with service.client() as client:
            rows = client.each(readings(switch=LEDGER, limit=1000))
            found = {one.taken_at for one in rows if one.outcome == "complete"}
        assert set(acknowledged) - {None} <= found
        assert service.end() == 0
        _, traceback, rest = service.log.partition("Traceback")
        assert not traceback, rest[:4000]
    finally:
        filler.unlink(missing_ok=True)
        if service.process is not None and service.process.poll() is None:
            service.process.kill()
            service.process.wait(10)
        for pid in (small_disk / "data").rglob("server.pid"):
            subprocess.run(["kill", "-9", pid.read_text().strip()], check=False)
