"""A backup of a service at work, restored beside it: the two answer alike."""

import json
import subprocess
import sys
import threading
import zipfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from io import StringIO
from pathlib import Path
from typing import Any

import pytest

from kiteroll.app.data_lock import held
from kiteroll.app.doctor import clean
from kiteroll.cli.main import main
from kiteroll.client import (
    Client,
    add_switch,
    add_user,
    audit_log,
    audit_verdict,
    bar,
    changes,
    findings,
    import_readings,
    set_alert_target,
    stays,
    switches,
)
from kiteroll.client import test_alert_target as try_target
from kiteroll.core.errors import Conflict, StorageUnavailable
from kiteroll.deliver.webhook import signature
from kiteroll.schemas.api import AlertTargetSettings, NewBarred, NewSwitch, NewUser, WebhookSettings
from kiteroll.schemas.reading_convert import to_document
from kiteroll.schemas.reading_document import ReadingDocument
from kiteroll.store import dump
from kiteroll.store.database import Database
from kiteroll.store.migrate import migrate
from tests.support.factories import mac, reading
from tests.support.harness import NewService, Service, wait_until
from tests.support.ports import free_tcp_port
from tests.support.receivers import ARRIVES_S, WebhookReceiver, closing_all

PASSPHRASE = "the ferry sails at nine"


@dataclass(frozen=True)
class Done:
    returncode: int
    stderr: str


Backup = Callable[..., Done]


@pytest.fixture
def backup(capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch) -> Backup:
    """`kiteroll backup`, in this process: a program of its own would load all of it each time."""

    def run(*words: str, passphrase: str = PASSPHRASE) -> Done:
        monkeypatch.setattr("sys.stdin", StringIO(f"{passphrase}\n"))
        capsys.readouterr()
        code = main(["backup", *words])
        said = capsys.readouterr()
        return Done(int(code), said.err)

    return run


def show(kite: Client, step: int) -> None:
    learned = {(0x700 + number, 10): f"p{1 + (number + step) % 20}" for number in range(40)}
    document = to_document(reading(0, learned)).model_dump() | {"taken_at": datetime.now(UTC)}
    document["device"] |= {"uptime_s": None}
    kite.send(import_readings([ReadingDocument.model_validate(document)]))


def answers(kite: Client) -> dict[str, Any]:
    """What the service says of what it keeps."""
    return {
        "switches": [one.name for one in kite.each(switches())],
        "stays": list(kite.each(stays(switch="quay-1", ended=True))),
        "changes": list(kite.each(changes(limit=1000))),
        "findings": [
            one.model_copy(update={"clears_at": None})
            for one in kite.each(findings(states=("open", "acknowledged", "cleared"), parts=True))
        ],
    }


@pytest.fixture(scope="module")
def working(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Service]:
    service = Service(tmp_path_factory.mktemp("working") / "data", free_tcp_port())
    service.start()
    with service.client() as kite:
        kite.send(add_switch(NewSwitch(name="quay-1", source="files")))
        kite.send(add_user(NewUser(name="ida", role="operator", password=PASSPHRASE)))
        kite.send(bar(NewBarred(prefix=str(mac(0x701)), reason="lost")))
        show(kite, 0)
        wait_until(lambda: list(kite.each(findings(kinds=["barred-address"]))), "the barred address")
    yield service
    assert service.end() == 0


def test_what_is_restored_answers_as_before(
    working: Service, new_service: NewService, backup: Backup, tmp_path: Path
) -> None:
    file, hook = tmp_path / "kite.backup", WebhookReceiver()
    with closing_all(hook), working.client() as kite:
        where = WebhookSettings(kind="webhook", url=f"http://127.0.0.1:{hook.port}/")
        kite.send(set_alert_target("hook", AlertTargetSettings(settings=where, secret="s3cret")))
        before = answers(kite)
        done = threading.Event()

        def go_on() -> None:
            with working.client() as other:
                step = 0
                while not done.is_set():
                    show(other, step := step + 1)

        reading_on = threading.Thread(target=go_on)
        reading_on.start()
        try:
            made = backup("make", str(file), "--data", str(working.data))
        finally:
            done.set()
            reading_on.join()
        assert made.returncode == 0, made.stderr
        assert file.stat().st_mode & 0o777 == 0o600
        assert any(one.action == "backup.make" for one in kite.each(audit_log(action="backup")))
        assert "s3cret" not in file.read_bytes().decode("latin-1")
        later = answers(kite)

        verified = backup("verify", str(file))
        assert verified.returncode == 0 and "audit log has" in verified.stderr, verified.stderr
        data = tmp_path / "data-0"
        restored = backup("restore", str(file), "--data", str(data))
        assert restored.returncode == 0, restored.stderr
        service = new_service()
        assert service.data == data
        with service.client() as again:
            after = answers(again)
            assert after["switches"] == before["switches"]
            assert len(after["changes"]) >= len(before["changes"])
            assert after["changes"] == later["changes"][-len(after["changes"]) :], "none is lost, none is new"
            began = [{(one.mac, one.began_at) for one in kept["stays"]} for kept in (before, after, later)]
            assert began[0] <= began[1] <= began[2]
            assert {one.id for one in after["findings"]} >= {one.id for one in before["findings"]}
            assert again.send(audit_verdict()).intact
            assert again.send(try_target("hook")).delivered
            headers, body = hook.got.get(timeout=ARRIVES_S)
            stamp = headers["Kiteroll-Timestamp"]
            assert headers["Kiteroll-Signature"] == signature("s3cret", stamp, body), (
                "sealed with the old key"
            )
        with service.http() as browser:
            said = browser.post("/api/v1/session", json={"name": "ida", "password": PASSPHRASE})
            assert said.json()["role"] == "operator"

        refused = backup("restore", str(file), "--data", str(data), "--replace")
        assert refused.returncode == 5 and "in use by another Kite Roll" in refused.stderr
        assert service.end() == 0
        refused = backup("restore", str(file), "--data", str(data))
        assert refused.returncode == 5 and "is not empty" in refused.stderr
        refused = backup(
            "restore", str(file), "--data", str(tmp_path / "new"), passphrase="a wrong passphrase"
        )
        assert refused.returncode == 2 and "is not the passphrase" in refused.stderr
        none = backup("verify", str(file), passphrase="")
        assert none.returncode == 2 and "no passphrase is on standard input" in none.stderr
        assert not (tmp_path / "new" / "database").exists()


def test_a_damaged_or_strange_file_is_reported_and_nothing_is_restored(
    working: Service, backup: Backup, tmp_path: Path
) -> None:
    file, damaged = tmp_path / "kite.backup", tmp_path / "damaged"
    assert backup("make", str(file), "--data", str(working.data), passphrase="short").returncode == 2
    assert not file.exists()
    assert backup("make", str(file), "--data", str(working.data)).returncode == 0
    whole = file.read_bytes()
    for content in (b"", b"no zip", whole[: len(whole) // 2], whole[:2000] + b"\0" * 40 + whole[2040:]):
        damaged.write_bytes(content)
        done = backup("verify", "--quick", str(damaged))
        assert done.returncode == 2, done.stderr
    with zipfile.ZipFile(file) as before, zipfile.ZipFile(damaged, "w") as after:
        for name in before.namelist():
            content = before.read(name)
            after.writestr(name, content.replace(b"lost", b"gone"))
    assert "not the one that was written" in backup("verify", str(damaged)).stderr
    done = backup("make", str(tmp_path / "x"), "--data", str(tmp_path / "nowhere"))
    assert done.returncode == 2 and "no data directory" in done.stderr


def test_a_service_does_not_start_on_a_restore_that_was_cut_off(
    server: Database, database: Database, tmp_path: Path
) -> None:
    half = tmp_path / "half.sql"
    half.write_text("CREATE TABLE switch (id INT);\nINSERT INTO nowhere VALUES (1);\n")
    dump.drop_everything(database)
    with half.open("rb") as source, pytest.raises(StorageUnavailable, match="nowhere"):
        dump.load(database, source)
    with pytest.raises(Conflict, match="was cut off"):
        migrate(database)
    dump.drop_everything(database)
    migrate(database)
    assert database.run(dump.row_counts)["switch"] == 0


def test_a_report_of_trouble_holds_what_is_needed_and_no_secret(working: Service, tmp_path: Path) -> None:
    file, config = tmp_path / "trouble.zip", tmp_path / "kiteroll.toml"
    config.write_text('[openid]\nclient_secret = "of the client"\n')
    words = ("--config", str(config), "--data", str(working.data), "--url", working.url)
    command = [sys.executable, "-m", "kiteroll.cli", "doctor", str(file), *words]
    done = subprocess.run(command, capture_output=True, text=True, timeout=60)
    assert done.returncode == 0, done.stderr
    with zipfile.ZipFile(file) as archive:
        parts = {name: archive.read(name).decode() for name in archive.namelist()}
    report, service = json.loads(parts["report.json"]), json.loads(parts["service.json"])
    assert report["database"]["tables"]["stay"]["octets"] > 0 and report["settings"]["listen"]["port"] == 8480
    assert service["health"]["database"] == "up" and service["switches_by_health"]
    for secret in (working.token, "of the client", (working.data / "secrets.key").read_text().strip()):
        assert not any(secret in content for content in parts.values())
    assert "InnoDB" in parts["database.log"]
    said = 'community="tarn" password: x mysql://kite:hunter2@db/kite "token": "abc"'
    assert (
        clean(said) == 'community=(secret) password: (secret) mysql://kite:(secret)@db/kite "token": (secret)'
    )


def test_one_program_at_a_time_has_the_data_directory(tmp_path: Path) -> None:
    with held(tmp_path), pytest.raises(Conflict, match="in use"), held(tmp_path):
        pass
