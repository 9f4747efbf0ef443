"""Structured logs: one JSON object a line on stderr."""

import logging
from typing import Any

from pythonjsonlogger.json import JsonFormatter


def set_up_logs(level: str = "INFO") -> None:
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
    for chatty in ("alembic", "uvicorn.access"):
        logging.getLogger(chatty).setLevel(logging.WARNING)


def fields(event: str, **values: Any) -> dict[str, Any]:
    """The `extra` of a log line: a stable event name and its facts."""
    return {"event": event, **values}
