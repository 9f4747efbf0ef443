"""Settings that are changed while the service runs."""

from pathlib import Path
from typing import Any

import pytest

from kiteroll.app.config import load_config
from kiteroll.app.runtime_settings import RuntimeSettings
from kiteroll.core.errors import Conflict, Invalid, NotFound
from kiteroll.core.findings.finding import FindingKind
from kiteroll.store import runtime_settings
from kiteroll.store.database import Database
from kiteroll.store.runtime_settings import SettingRow
from tests.support.clock import ManualClock
from tests.support.factories import NOON, reading
from tests.support.live import LiveRun

CONFIG = "[findings]\nflap_moves = 5\n"


@pytest.fixture
def settings(database: Database, tmp_path: Path) -> RuntimeSettings:
    return again(database, tmp_path)


def again(database: Database, folder: Path) -> RuntimeSettings:
    """As after a start."""
    file = folder / "kiteroll.toml"
    file.write_text(CONFIG)
    made = RuntimeSettings(database, ManualClock(), load_config(file, {}))
    made.load()
    return made


def test_what_is_set_holds_at_once_and_after_a_start(
    settings: RuntimeSettings, database: Database, tmp_path: Path
) -> None:
    reported: list[int] = []
    settings.on_change(lambda: reported.append(1))
    changed = settings.set("findings.silent_after", "2h", "mara")
    assert (changed.value, changed.default, changed.source, changed.set_by) == ("2h", "1d", "here", "mara")
    settings.set("findings.table_share", 0.8, "mara")
    settings.set("retention.history", "100d", "mara")
    settings.set("reading.interval", "90s", "mara")
    later = again(database, tmp_path)
    assert later.thresholds.silent_after.total_seconds() == 7200 and later.thresholds.table_share == 0.8
    assert (later.retention.history_s, later.interval_s, len(reported)) == (100 * 86400, 90, 4)
    assert later.thresholds.flap_moves == 5, "what the file says stays"
    assert later.reset("findings.silent_after").value == "1d"
    assert again(database, tmp_path).get("findings.silent_after").source == "default"


@pytest.mark.parametrize(
    ("name", "value", "error", "reported"),
    [
        ("findings.flap_moves", 4, Conflict, "the configuration says"),
        ("findings.storms", 4, NotFound, "no setting 'findings.storms'"),
        ("reading.concurrency", 4, NotFound, "no setting"),
        ("findings.silent_after", 5, Invalid, "findings.silent_after: .*duration"),
        ("findings.silent_after", "5s", Invalid, "findings.silent_after: must be"),
        ("findings.table_share", 7, Invalid, "at most 1"),
        ("findings.table_share", "much", Invalid, "number"),
    ],
)
def test_what_cannot_be_is_refused_and_nothing_changes(
    settings: RuntimeSettings, name: str, value: Any, error: type[Exception], reported: str
) -> None:
    before = settings.all()
    with pytest.raises(error, match=reported):
        settings.set(name, value, "mara")
    assert settings.all() == before


def test_a_stored_value_that_is_not_allowed_any_more_is_left_out(database: Database, tmp_path: Path) -> None:
    for name, value in (
        ("findings.storms", 1),
        ("findings.table_share", 7),
        ("findings.flood_addresses", 70),
    ):
        database.run(runtime_settings.set_setting, SettingRow(name, value, NOON, "mara"))
    found = again(database, tmp_path)
    assert found.thresholds.table_share == 0.9 and found.thresholds.flood_addresses == 70


def test_thresholds_hold_for_what_comes_next_and_open_findings_stay(live: LiveRun) -> None:
    parts = live.parts
    live.apply(reading(0, {(1, 10): "p1"}))
    many = {(number, 10): "p2" for number in range(2, 20)}
    assert not [one for one in live.apply(reading(1, many)) if one.kind is FindingKind.FLOOD]
    parts.settings.set("findings.flood_addresses", 10, "mara")
    more = {(number, 10): "p3" for number in range(30, 60)}
    found = live.apply(reading(2, more)) + live.evaluate(reading(3, {}).taken_at)
    assert FindingKind.FLOOD in {one.kind for one in found}
    parts.settings.reset("findings.flood_addresses")
    assert FindingKind.FLOOD in {one.kind for one in parts.findings.worker.live()}
