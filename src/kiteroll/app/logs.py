"""Structured logs: one JSON object a line on stderr."""

import logging
from collections.abc import Mapping
from typing import Any

from pythonjsonlogger.json import JsonFormatter

PARTS = frozenset({"api", "app", "collect", "core", "deliver", "snmp", "store"})
"""Packages below `kiteroll` that log."""


def set_up_logs(level: str = "INFO", levels: Mapping[str, str] | None = None) -> None:
    """`levels`: of parts, by the name of their package or module below `kiteroll`, such as `collect` or
    `app.alerts`; or of other libraries by their own name."""
    handler = logging.StreamHandler()
    handler.setFormatter(
        JsonFormatter(
            "%(asctime)s %(levelname)s %(name)s %(message)s",
            rename_fields={"asctime": "at", "levelname": "level", "name": "logger"},
            datefmt="%Y-%m-%dT%H:%M:%S%z",
        )
    )
    root = logging.getLogger()
    root.handlers[:] = [handler]
    root.setLevel(level)
    for chatty in ("alembic", "httpx", "uvicorn.access"):
        logging.getLogger(chatty).setLevel(logging.WARNING)
    for part, own in (levels or {}).items():
        ours = part.partition(".")[0] in PARTS
        logging.getLogger(f"kiteroll.{part}" if ours else part).setLevel(own)


def fields(event: str, **values: Any) -> dict[str, Any]:
    """The `extra` of a log line: a stable event name and its facts."""
    return {"event": event, **values}
