"""Parts of the service on their own: settings, secrets, the live stream, the ingestor."""

import asyncio
from pathlib import Path

import pytest

from kiteroll.api.stream.broadcaster import KEPT, QUEUE, EventBroadcaster
from kiteroll.app.config import load_config
from kiteroll.app.serving.sent_event import SentEvent
from kiteroll.app.turns import Turns
from kiteroll.core.errors import ConfigError, ServiceStopping, StorageUnavailable
from kiteroll.duration import parse_duration_s
from kiteroll.schemas.stream import FindingEvent, ResyncEvent, RulesEvent
from kiteroll.store.vault import Vault


def test_settings_come_from_file_then_environment_then_flags(tmp_path: Path) -> None:
    file = tmp_path / "kiteroll.toml"
    file.write_text(
        'data_dir = "/srv/kr"\n[listen]\nport = 9000\nhost = "::1"\n[reading]\ninterval = "90s"\ntries = 5\n'
    )
    environment = {"KITEROLL_LISTEN_PORT": "9001", "KITEROLL_INTERVAL": "2m"}
    config = load_config(file, environment, {"listen.port": 9002, "data_dir": None})
    assert (config.listen.host, config.listen.port, str(config.data_dir)) == ("::1", 9002, "/srv/kr")
    assert (config.reading.interval_s, config.reading.tries, config.reading.timeout_s) == (120, 5, 2)
    assert config.tracking.hold_time_s is None and config.retention.readings_s == 30 * 86400
    assert "hunter2" not in repr(load_config(None, {"KITEROLL_DATABASE_URL": "mysql://u:hunter2@h/d"}))


def test_a_value_where_a_section_belongs_is_refused_with_its_line(tmp_path: Path) -> None:
    file = tmp_path / "kiteroll.toml"
    file.write_text('listen = "everywhere"\n')
    with pytest.raises(ConfigError, match=r"listen \(line 1\)"):
        load_config(file, {"KITEROLL_LISTEN_PORT": "1"})
    with pytest.raises(ConfigError, match="cannot be read"):
        load_config(tmp_path / "none.toml", {})


@pytest.mark.parametrize(
    ("text", "seconds"), [("250ms", 0.25), ("1.5m", 90), (" 2 h ", 7200), ("3d", 259200)]
)
def test_durations_have_units(text: str, seconds: float) -> None:
    assert parse_duration_s(text) == seconds
    for wrong in ("5", "m5", "", "5 weeks", 5):
        with pytest.raises(ValueError, match="unit"):
            parse_duration_s(wrong)


def test_a_secret_opens_with_its_key_and_no_other(tmp_path: Path) -> None:
    vault = Vault(tmp_path / "one.key")
    sealed = vault.seal("tarn-read")
    assert b"tarn-read" not in sealed
    assert Vault(tmp_path / "one.key").open(sealed) == "tarn-read"
    assert (tmp_path / "one.key").stat().st_mode & 0o777 == 0o600
    with pytest.raises(ConfigError, match="another key"):
        Vault(tmp_path / "other.key").open(sealed)
    (tmp_path / "broken.key").write_text("nonsense")
    with pytest.raises(ConfigError, match="cannot be used"):
        Vault(tmp_path / "broken.key")


def test_events_reach_every_listener_and_closing_ends_them() -> None:
    async def run() -> list[list[str]]:
        hub = EventBroadcaster()
        hub.attach()

        async def listen() -> list[str]:
            return [event.name async for event in hub.listen()]

        listeners = [asyncio.create_task(listen()) for _ in range(3)]
        await asyncio.sleep(0)
        hub.publish([RulesEvent()])
        await asyncio.to_thread(hub.publish, [ResyncEvent()])
        await asyncio.sleep(0)  # what was handed over from threads is spread in the loop's next turn
        hub.close()
        return await asyncio.gather(*listeners)

    assert asyncio.run(run()) == [["rules", "resync"]] * 3


def test_a_listener_that_falls_behind_is_sent_a_resync() -> None:
    async def run() -> list[str]:
        hub = EventBroadcaster()
        hub.attach()
        listening = hub.listen()
        first = asyncio.ensure_future(anext(listening))
        await asyncio.sleep(0)
        for number in range(QUEUE + 2):
            hub.publish([_reported(number)])
        await asyncio.sleep(0)
        names = [(await first).name]
        names += [(await anext(listening)).switch or "" for _ in range(2)]
        await listening.aclose()  # type: ignore[attr-defined]
        return names

    assert asyncio.run(run()) == ["resync", f"quay-{QUEUE}", f"quay-{QUEUE + 1}"]


def _reported(number: int) -> FindingEvent:
    return FindingEvent(kind="loop", state="open", title="a loop", switch=f"quay-{number}", mac=None)


def test_a_listener_that_comes_back_gets_what_it_missed_or_is_answered_that_it_cannot() -> None:
    async def run() -> None:
        hub = EventBroadcaster()
        hub.attach()
        begun = hub.last_id

        async def some(after: str, count: int) -> list[SentEvent]:
            listening = hub.listen(after)
            found = [await anext(listening) for _ in range(count)]
            await listening.aclose()  # type: ignore[attr-defined]
            return found

        hub.publish([_reported(number) for number in range(3)])
        await asyncio.sleep(0)
        first = await some(begun, 3)
        assert [one.switch for one in first] == ["quay-0", "quay-1", "quay-2"]
        (last,) = await some(first[1].id, 1)
        assert last == first[2]
        hub.publish([_reported(number) for number in range(KEPT + 1)])
        await asyncio.sleep(0)
        for lost in (begun, "0-1", "nonsense", f"{begun}x"):
            (reported,) = await some(lost, 1)
            assert (reported.name, reported.id) == ("resync", hub.last_id)

    asyncio.run(run())


def test_a_change_of_the_inventory_does_not_wait_for_a_database_that_is_away() -> None:
    turns = Turns()
    turns.storage_problem = "it is away"
    with pytest.raises(StorageUnavailable, match="it is away"):
        asyncio.run(turns.run_next(lambda: 1))
    turns.storage_problem = None
    assert asyncio.run(turns.run_next(lambda: 1)) == 1
    turns.stop()


def test_whoever_wants_a_turn_after_the_end_is_told_that_the_service_stops() -> None:
    turns = Turns()
    assert asyncio.run(turns.run(lambda: 1)) == 1
    turns.stop()
    for work in (turns.run(lambda: 1), turns.run_next(lambda: 1)):
        with pytest.raises(ServiceStopping, match="nothing was stored"):
            asyncio.run(work)
