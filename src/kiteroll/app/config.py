"""Configuration: one TOML file, then the environment, checked as a whole at start."""

import re
import socket
import tomllib
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any, Self

from pydantic import ValidationError, model_validator
from pydantic_core import ErrorDetails

from kiteroll.app.settings import (
    ActingSettings,
    CollectorSettings,
    DatabaseSettings,
    DnsSettings,
    FindingSettings,
    ImportSettings,
    Listen,
    LogSettings,
    NodeSettings,
    NotificationSettings,
    OpenIdSettings,
    ReadingSettings,
    RetentionSettings,
    Section,
    TraceSettings,
    TrackerSettings,
    TrackingSettings,
)
from kiteroll.bus.settings import BusSettings
from kiteroll.core.errors import ConfigError
from kiteroll.data_dir import CERTIFICATE_FILE, default_data_dir
from kiteroll.model_errors import UNKNOWN_FIELD, where_and_what


class Config(Section):
    data_dir: Path
    listen: Listen = Listen()
    database: DatabaseSettings = DatabaseSettings()
    node: NodeSettings = NodeSettings()
    bus: BusSettings = BusSettings()
    collector: CollectorSettings = CollectorSettings()
    tracker: TrackerSettings = TrackerSettings()
    reading: ReadingSettings = ReadingSettings()
    tracking: TrackingSettings = TrackingSettings()
    findings: FindingSettings = FindingSettings()
    retention: RetentionSettings = RetentionSettings()
    imports: ImportSettings = ImportSettings()
    notifications: NotificationSettings = NotificationSettings()
    dns: DnsSettings = DnsSettings()
    openid: OpenIdSettings = OpenIdSettings()
    logs: LogSettings = LogSettings()
    traces: TraceSettings = TraceSettings()
    acting: ActingSettings = ActingSettings()

    @property
    def certificate_file(self) -> Path | None:
        """The certificate it listens with; None where it speaks no TLS."""
        return self.data_dir / CERTIFICATE_FILE if self.listen.self_signed else self.listen.certificate

    @property
    def node_url(self) -> str:
        """Where other services on this database reach this one."""
        if self.node.url:
            return self.node.url.rstrip("/")
        name = socket.gethostname()
        return self.listen.url({"0.0.0.0": name, "::": name})

    @model_validator(mode="after")
    def _openid_whole(self) -> Self:
        if self.openid.issuer and not (self.openid.client_id and self.listen.public_url):
            raise ValueError("openid: it takes client_id, and listen.public_url, where people come back to")
        return self


def require(program: str, needs: Iterable[tuple[object, str, str]]) -> None:
    """`needs`: what is set, what it is, and where it stands. Raises ConfigError naming all that is not."""
    problems = tuple(f"{program} takes {what} @ {where}" for given, what, where in needs if not given)
    if problems:
        raise ConfigError("settings", problems)


ENVIRONMENT = {
    "KITEROLL_DATA": ("data_dir",),
    "KITEROLL_LISTEN_HOST": ("listen", "host"),
    "KITEROLL_LISTEN_PORT": ("listen", "port"),
    "KITEROLL_LISTEN_PUBLIC_URL": ("listen", "public_url"),
    "KITEROLL_DATABASE_URL": ("database", "url"),
    "KITEROLL_DATABASE_STANDBY": ("database", "standby"),
    "KITEROLL_NODE_URL": ("node", "url"),
    "KITEROLL_NODE_CA_FILE": ("node", "ca_file"),
    "KITEROLL_OPENID_CLIENT_SECRET": ("openid", "client_secret"),
    "KITEROLL_INTERVAL": ("reading", "interval"),
    "KITEROLL_BUS_URL": ("bus", "url"),
    "KITEROLL_BUS_USER": ("bus", "user"),
    "KITEROLL_BUS_PASSWORD": ("bus", "password"),
    "KITEROLL_BUS_CA_FILE": ("bus", "ca_file"),
    "KITEROLL_BUS_REPLICAS": ("bus", "replicas"),
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
        problems = tuple(_problem(error, text) for error in wrong.errors())
        raise ConfigError(str(file) if file else "settings", problems) from wrong


def _set(values: dict[str, Any], path: tuple[str, ...], value: Any) -> None:
    for name in path[:-1]:
        inner = values.setdefault(name, {})
        if not isinstance(inner, dict):
            return  # the file has a plain value there; validation will say so
        values = inner
    values[path[-1]] = value


def _problem(error: ErrorDetails, text: str) -> str:
    path, what = where_and_what(error)
    if not path:
        return what
    if error["type"] == UNKNOWN_FIELD:
        what = "there is no such setting"
    line = _line_of(error["loc"], text)
    return f"{what} @ {path}" + (f" (line {line})" if line else "")


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
