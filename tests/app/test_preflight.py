"""What would keep the service from starting, reported without starting it."""

import socket
from datetime import timedelta
from pathlib import Path

from sqlalchemy import text

from kiteroll.app import data_lock
from kiteroll.app.certificates import make_self_signed
from kiteroll.app.config import Config
from kiteroll.app.preflight import Verdict, preflight
from kiteroll.clock import SystemClock
from kiteroll.core.errors import Conflict
from kiteroll.store.database import Database
from tests.support.ports import free_udp_port

CLOCK = SystemClock()


def _looked(config: Config, listens: str = "127.0.0.1 port 8480") -> dict[str, tuple[Verdict, str]]:
    def listen() -> str:
        if not listens:
            raise Conflict("cannot listen on 127.0.0.1 port 8480: Address already in use")
        return listens

    return {one.what: (one.verdict, one.found) for one in preflight(config, CLOCK, listen)}


def test_a_machine_that_is_ready_is_reported_so_and_nothing_is_made(tmp_path: Path) -> None:
    found = _looked(Config(data_dir=tmp_path / "data"))
    assert {verdict for verdict, _ in found.values()} == {Verdict.OK}
    assert "made at the start" in found["data directory"][1] and not (tmp_path / "data").exists()
    assert "a private server" in found["database"][1]


def test_each_thing_that_is_wrong_is_reported(tmp_path: Path) -> None:
    data = tmp_path / "data"
    data.mkdir()
    (data / "token").write_text("secret")
    (data / "token").chmod(0o644)
    pem, key = make_self_signed(["localhost"], CLOCK.now() - timedelta(days=500))
    (tmp_path / "old.pem").write_bytes(pem)
    (tmp_path / "old.key").write_bytes(key)
    port = free_udp_port()
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as other:
        other.bind(("127.0.0.1", port))
        config = Config.model_validate(
            {
                "data_dir": data,
                "database": {"url": "mysql://nobody@127.0.0.1:1/none"},
                "listen": {"certificate": tmp_path / "old.pem", "key": tmp_path / "old.key"},
                "notifications": {"enabled": True, "host": "127.0.0.1", "port": port},
            }
        )
        found = _looked(config, "")
    assert found["data directory"][0] is Verdict.WARNING and "chmod 600" in found["data directory"][1]
    wrong = {what: said for what, (verdict, said) in found.items() if verdict is Verdict.WRONG}
    assert "Address already in use" in wrong["listening"] and "ended 20" in wrong["certificate"]
    assert "127.0.0.1" in wrong["database"] and "taken" not in wrong["database"]
    assert "cannot listen for notifications" in wrong["notifications"]


def test_a_service_that_runs_is_no_trouble_and_a_newer_database_is(
    database: Database, tmp_path: Path
) -> None:
    url = database.url.render_as_string(hide_password=False)
    config = Config.model_validate({"data_dir": tmp_path, "database": {"url": url}})
    with data_lock.held(tmp_path):
        found = _looked(config, "")
    assert found["listening"][0] is Verdict.OK and "as the service runs" in found["listening"][1]
    assert "in use by another Kite Roll" in found["data directory"][1]
    assert found["database"][0] is Verdict.OK and "tables at revision" in found["database"][1]
    with database.engine.begin() as connection:
        connection.execute(text("UPDATE alembic_version SET version_num = '9999'"))
    verdict, said = _looked(config)["database"]
    assert verdict is Verdict.WRONG and "start the newer version" in said


def test_a_certificate_of_its_own_is_made_at_the_start(tmp_path: Path) -> None:
    found = _looked(Config.model_validate({"data_dir": tmp_path, "listen": {"self_signed": True}}))
    assert found["certificate"] == (Verdict.OK, "made at the start, signed by itself")
    assert not (tmp_path / "certificate.pem").exists()
