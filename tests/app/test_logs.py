"""Levels of logs, by part."""

import json
import logging
from collections.abc import Iterator

import pytest

from kiteroll.app.config import load_config
from kiteroll.app.logs import fields, set_up_logs
from kiteroll.core.errors import ConfigError


@pytest.fixture(autouse=True)
def _as_before() -> Iterator[None]:
    root = logging.getLogger()
    handlers, level = list(root.handlers), root.level
    yield
    root.handlers[:] = handlers
    root.setLevel(level)
    for name in ("kiteroll.collect", "kiteroll.app.alerts"):
        logging.getLogger(name).setLevel(logging.NOTSET)


def test_a_part_may_say_less_or_more_than_the_rest(capsys: pytest.CaptureFixture[str]) -> None:
    set_up_logs("INFO", {"collect": "ERROR", "app.alerts": "DEBUG"})
    for name in ("kiteroll.collect.poller", "kiteroll.app.alerts.router", "kiteroll.app.ingest"):
        for level in (logging.DEBUG, logging.INFO):
            logging.getLogger(name).log(level, "said", extra=fields("test.said", number=1))
    said = [json.loads(line) for line in capsys.readouterr().err.splitlines()]
    assert [(one["logger"], one["level"]) for one in said] == [
        ("kiteroll.app.alerts.router", "DEBUG"),
        ("kiteroll.app.alerts.router", "INFO"),
        ("kiteroll.app.ingest", "INFO"),
    ]
    assert said[0]["event"] == "test.said" and said[0]["number"] == 1


def test_a_level_that_is_none_stops_the_start() -> None:
    with pytest.raises(ConfigError, match=r"logs\.levels\.collect"):
        load_config(None, {}, {"logs": {"levels": {"collect": "LOUD"}}})
