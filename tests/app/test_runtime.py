"""The composition root: what it opened is closed again, also when the start fails half-way."""

from contextlib import ExitStack
from pathlib import Path

import pytest

from kiteroll.app import service_workers, storage
from kiteroll.app.config import Config
from kiteroll.app.parts import reading, whole
from kiteroll.app.settings import DatabaseSettings, DnsSettings, ImportSettings, NotificationSettings
from kiteroll.clock import SystemClock
from kiteroll.core.errors import Conflict, KiteRollError
from kiteroll.store.database import Database
from tests.support.ports import free_udp_port


def _named(database: Database, data: Path, **sections: object) -> Config:
    url = database.url.render_as_string(hide_password=False)
    return Config.model_validate({"data_dir": data, "database": DatabaseSettings(url=url), **sections})


def _workers(config: Config) -> set[str]:
    with ExitStack() as stack:
        parts = whole.build(config, SystemClock(), stack, lambda: None)
        service_workers.add_workers(parts, config, SystemClock(), stack, lambda text, file: [])
        return {one.name for one in parts.supervisor.health()}


def test_workers_are_those_the_configuration_asks_for(database: Database, tmp_path: Path) -> None:
    plain = _workers(_named(database, tmp_path / "data"))
    assert plain == {
        *("poller", "findings", "followup-probe", "topology", "name-index", "retention"),
        *("database-lease", "database-watch", "clock", "access", "alert-router", "alert-sender"),
        *("closed-ports", "breach-actions", "label-index", "change-counts"),
    }
    more = _named(
        database,
        tmp_path / "data",
        notifications=NotificationSettings(enabled=True, host="127.0.0.1", port=free_udp_port()),
        dns=DnsSettings(enabled=True, servers=("127.0.0.1:53",)),
        imports=ImportSettings(folder=tmp_path / "import"),
    )
    assert _workers(more) - plain == {"notifications", "reverse-dns", "import-folder"}


def test_a_start_that_fails_half_way_leaves_no_private_server_behind(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def fail(*_: object) -> None:
        raise KiteRollError("the migration failed")

    monkeypatch.setattr(storage, "bring_up_to_date", fail)
    config = Config(data_dir=tmp_path / "data")
    with pytest.raises(KiteRollError, match="the migration failed"), ExitStack() as stack:
        whole.build(config, SystemClock(), stack, lambda: None)
    pid = tmp_path / "data" / "database" / "server.pid"
    assert not pid.exists()


def test_a_start_that_fails_half_way_gives_the_database_back(
    database: Database, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    config = _named(database, tmp_path / "data")
    with monkeypatch.context() as patch, ExitStack() as stack:
        patch.setattr(reading, "Poller", None)
        with pytest.raises(TypeError), stack:
            whole.build(config, SystemClock(), stack, lambda: None)
    with ExitStack() as stack:
        whole.build(config, SystemClock(), stack, lambda: None)
        with pytest.raises(Conflict, match="another Kite Roll"), ExitStack() as other:
            whole.build(config, SystemClock(), other, lambda: None)
