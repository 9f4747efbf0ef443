"""Settings: one TOML file, then the environment, checked whole at start."""

import re
import tomllib
from collections.abc import Mapping
from pathlib import Path
from typing import Annotated, Any

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, ValidationError

from kiteroll.core.errors import ConfigError
from kiteroll.data_dir import default_data_dir
from kiteroll.duration import parse_duration_s

Seconds = Annotated[float, BeforeValidator(parse_duration_s)]


class _Section(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Listen(_Section):
    host: str = "127.0.0.1"
    port: int = Field(default=8480, ge=1, le=65535)


class DatabaseSettings(_Section):
    url: str = Field(default="", repr=False)
    """Empty: a private server under data_dir."""


class ReadingSettings(_Section):
    interval_s: Seconds = Field(default=60.0, alias="interval", ge=5, le=86400)
    timeout_s: Seconds = Field(default=2.0, alias="timeout", ge=0.05, le=60)
    tries: int = Field(default=3, ge=1, le=10)
    total_s: Seconds = Field(default=60.0, alias="total", ge=1, le=3600)
    rows: int = Field(default=200_000, ge=1000, le=5_000_000)
    at_once: int = Field(default=64, ge=1, le=1000)


class TrackingSettings(_Section):
    hold_s: Seconds | None = Field(default=None, alias="hold", ge=0, le=30 * 86400)
    """None: three times the switch's ageing time."""


class KeepSettings(_Section):
    """How long records are kept. Open stays are kept as long as they are open."""

    readings_s: Seconds = Field(default=30 * 86400.0, alias="readings", ge=3600)
    history_s: Seconds = Field(default=400 * 86400.0, alias="history", ge=86400)


class FindingSettings(_Section):
    jumps: int = Field(default=3, ge=2, le=100)
    """Jumps of one address within `window` that make it flap."""
    window_s: Seconds = Field(default=600.0, alias="window", ge=30, le=86400)
    storm_addresses: int = Field(default=5, alias="storm", ge=3, le=1000)
    flood_addresses: int = Field(default=50, alias="flood", ge=5, le=100_000)
    silent_after_s: Seconds = Field(default=86400.0, alias="silent_after", ge=10)
    ip_window_s: Seconds = Field(default=3600.0, alias="ip_window", ge=60, le=86400)
    """In which an IP that goes to and fro between addresses is contested."""
    ips_after_s: Seconds = Field(default=6 * 3600.0, alias="ips_after", ge=0, le=30 * 86400)
    """An address must answer with unrelated IPs for so long."""
    rule_after_s: Seconds = Field(default=20.0, alias="rule_after", ge=0)
    table_share: float = Field(default=0.9, ge=0.1, le=1)
    quiet_s: Seconds = Field(default=900.0, alias="quiet", ge=10, le=30 * 86400)
    """A finding clears after this long without new evidence."""


class FileSettings(_Section):
    folder: Path | None = None
    """Files laid here are taken; None: no folder is watched."""


class NotificationSettings(_Section):
    """Notifications that switches send (linkUp, linkDown)."""

    listen: bool = False
    host: str = "0.0.0.0"  # switches send from anywhere; who is not in the inventory is not heard
    port: int = Field(default=162, ge=1, le=65535)
    settle_s: Seconds = Field(default=3.0, alias="settle", ge=0, le=300)
    """A switch is read this long after the last notification of it."""


class NameSettings(_Section):
    """Host names of IP addresses, looked up in the DNS (PTR records)."""

    look_up: bool = False
    servers: tuple[str, ...] = ()
    """ADDRESS or ADDRESS:PORT; empty: those of the system."""
    a_second: float = Field(default=5.0, gt=0, le=1000)
    """Questions a second at most."""
    keep_s: Seconds = Field(default=86400.0, alias="keep", ge=60)
    """A name is asked for again after this."""


class Config(_Section):
    data_dir: Path
    listen: Listen = Listen()
    database: DatabaseSettings = DatabaseSettings()
    reading: ReadingSettings = ReadingSettings()
    tracking: TrackingSettings = TrackingSettings()
    findings: FindingSettings = FindingSettings()
    keep: KeepSettings = KeepSettings()
    files: FileSettings = FileSettings()
    notifications: NotificationSettings = NotificationSettings()
    names: NameSettings = NameSettings()


ENVIRONMENT = {
    "KITEROLL_DATA": ("data_dir",),
    "KITEROLL_LISTEN_HOST": ("listen", "host"),
    "KITEROLL_LISTEN_PORT": ("listen", "port"),
    "KITEROLL_DATABASE_URL": ("database", "url"),
    "KITEROLL_INTERVAL": ("reading", "interval"),
}
"""Environment variables and the settings they stand for; they win over the file."""


def load_config(
    file: Path | None, environment: Mapping[str, str], overrides: Mapping[str, Any] | None = None
) -> Config:
    """File, then environment, then `overrides` (flags; dotted names). Raises ConfigError listing
    every problem with its path and, where it stands in the file, its line."""
    text = ""
    values: dict[str, Any] = {}
    if file is not None:
        try:
            text = file.read_text()
            values = tomllib.loads(text)
        except OSError as wrong:
            raise ConfigError(str(file), (f"cannot be read: {wrong.strerror}",)) from wrong
        except (tomllib.TOMLDecodeError, UnicodeDecodeError) as wrong:
            raise ConfigError(str(file), (f"is not TOML: {wrong}",)) from wrong
    for variable, path in ENVIRONMENT.items():
        if environment.get(variable):
            _set(values, path, environment[variable])
    for name, value in (overrides or {}).items():
        if value is not None:
            _set(values, tuple(name.split(".")), value)
    values.setdefault("data_dir", default_data_dir(environment))
    try:
        return Config.model_validate(values)
    except ValidationError as wrong:
        problems = tuple(_problem(error["loc"], error["msg"], text) for error in wrong.errors())
        raise ConfigError(str(file) if file else "settings", problems) from wrong


def _set(values: dict[str, Any], path: tuple[str, ...], value: Any) -> None:
    for name in path[:-1]:
        inner = values.setdefault(name, {})
        if not isinstance(inner, dict):
            return  # the file has a plain value there; validation will say so
        values = inner
    values[path[-1]] = value


def _problem(location: tuple[int | str, ...], message: str, text: str) -> str:
    path = ".".join(str(part) for part in location)
    message = message.removeprefix("Value error, ")
    if message == "Extra inputs are not permitted":
        message = "there is no such setting"
    line = _line_of(location, text)
    return f"{message} @ {path}" + (f" (line {line})" if line else "")


def _line_of(location: tuple[int | str, ...], text: str) -> int | None:
    """The line of a setting in the file, by its table heading and key; None when it is not there."""
    *tables, key = (str(part) for part in location)
    heading = ""
    for number, line in enumerate(text.splitlines(), start=1):
        stripped = line.strip()
        if stripped.startswith("["):
            heading = stripped.strip("[] ")
            if not tables and heading == key:
                return number
        elif heading == ".".join(tables) and re.match(rf"\"?{re.escape(key)}\"?\s*=", stripped):
            return number
    return None
