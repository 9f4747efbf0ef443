"""Settings that are changed while the service runs: thresholds, retention, the interval of readings.

What the configuration says (file, environment, options) wins, and cannot be changed here. What is set here is
kept in the database, and holds at once.
"""

import logging
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from pydantic import BaseModel, ValidationError
from pydantic.fields import FieldInfo

from kiteroll.app.config import Config
from kiteroll.app.logs import fields
from kiteroll.app.settings import FindingSettings, ReadingSettings, RetentionSettings
from kiteroll.clock import Clock
from kiteroll.core.errors import Conflict, Invalid, NotFound, sentence
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.nearest import no_such
from kiteroll.duration import duration_text
from kiteroll.model_errors import problems_of
from kiteroll.store import runtime_settings
from kiteroll.store.database import Database
from kiteroll.store.runtime_settings import SettingRow

log = logging.getLogger(__name__)
_SECTIONS: Mapping[str, type[BaseModel]] = {
    "findings": FindingSettings,
    "retention": RetentionSettings,
    "reading": ReadingSettings,
}
_OF_READING = frozenset({"interval_s"})
"""The others are about the machine that reads."""
_SPAN = "_s"
"""What names of fields end with that hold seconds."""

CONFIGURATION, HERE, DEFAULT = "configuration", "here", "default"


@dataclass(frozen=True, slots=True, kw_only=True)
class Setting:
    name: str
    """section.setting, as in the configuration file."""
    value: Any
    """A number, or a span as text (15m)."""
    default: Any
    source: str
    set_by: str = ""
    set_at: datetime | None = None


@dataclass(frozen=True, slots=True)
class _Field:
    section: str
    field: str
    info: FieldInfo

    @property
    def name(self) -> str:
        return f"{self.section}.{self.info.alias or self.field}"

    def shown(self, value: Any) -> Any:
        return duration_text(value) if self.field.endswith(_SPAN) else value


_FIELDS: Mapping[str, _Field] = {
    one.name: one
    for section, model in _SECTIONS.items()
    for field, info in model.model_fields.items()
    if section != "reading" or field in _OF_READING
    for one in (_Field(section, field, info),)
}


class RuntimeSettings:
    def __init__(self, database: Database, clock: Clock, config: Config) -> None:
        self._database = database
        self._clock = clock
        self._config = config
        self._lock = threading.Lock()
        self._rows: dict[str, SettingRow] = {}
        self._sections: dict[str, Any] = {name: getattr(config, name) for name in _SECTIONS}
        self._listeners: list[Callable[[], None]] = []

    def load(self) -> None:
        """What was set before. What this version does not know, or does not allow, is left out and logged."""
        rows: dict[str, SettingRow] = {}
        for name, row in self._database.run(runtime_settings.all_settings).items():
            try:
                self._sections_by({**rows, name: row})
            except (Invalid, NotFound) as wrong:
                log.warning(
                    "a setting is left out", extra=fields("settings.left_out", setting=name, error=str(wrong))
                )
            else:
                rows[name] = row
        self._apply(rows)

    def reload(self) -> None:
        """What another service set holds here from now on. Raises StorageUnavailable."""
        with self._lock:
            self.load()
        self._notify_listeners()

    def on_change(self, listener: Callable[[], None]) -> None:
        """`listener` is called after each change, in the thread of whoever made it."""
        self._listeners.append(listener)

    @property
    def thresholds(self) -> Thresholds:
        section: FindingSettings = self._sections["findings"]
        return section.thresholds()

    @property
    def retention(self) -> RetentionSettings:
        section: RetentionSettings = self._sections["retention"]
        return section

    @property
    def interval_s(self) -> float:
        """Of readings, for switches without one of their own that are added from now on."""
        section: ReadingSettings = self._sections["reading"]
        return section.interval_s

    def all(self) -> list[Setting]:
        """In the order of the documentation."""
        return [self.get(name) for name in _FIELDS]

    def get(self, name: str) -> Setting:
        """Raises NotFound."""
        field = _known(name)
        row = self._rows.get(name)
        source = CONFIGURATION if self._is_configured(field) else DEFAULT if row is None else HERE
        return Setting(
            name=name,
            value=field.shown(getattr(self._sections[field.section], field.field)),
            default=field.shown(field.info.default),
            source=source,
            set_by=row.set_by if row and source == HERE else "",
            set_at=row.set_at if row and source == HERE else None,
        )

    def set(self, name: str, value: Any, by: str) -> Setting:
        """Holds at once. Raises NotFound, Invalid for a value that cannot be, or Conflict where the
        configuration says what it is."""
        row = SettingRow(name, value, self._clock.now(), by)
        with self._lock:
            self._check_free(name)
            before = (self._rows, self._sections)
            self._apply({**self._rows, name: row})
            try:
                self._database.run(runtime_settings.set_setting, row)
            except BaseException:
                self._rows, self._sections = before
                raise
        self._notify_listeners()
        return self.get(name)

    def reset(self, name: str) -> Setting:
        """Back to the default. Raises NotFound or Conflict."""
        with self._lock:
            self._check_free(name)
            self._database.run(runtime_settings.reset_setting, name)
            self._apply({key: row for key, row in self._rows.items() if key != name})
        self._notify_listeners()
        return self.get(name)

    def _check_free(self, name: str) -> None:
        if self._is_configured(_known(name)):
            raise Conflict(
                f"{name}: the configuration says what it is (file, environment or option): change it there"
            )

    def _is_configured(self, field: _Field) -> bool:
        section: BaseModel = getattr(self._config, field.section)
        return field.field in section.model_fields_set

    def _apply(self, rows: dict[str, SettingRow]) -> None:
        """Raises Invalid or NotFound; then nothing is changed."""
        self._sections, self._rows = self._sections_by(rows), rows

    def _sections_by(self, rows: Mapping[str, SettingRow]) -> dict[str, Any]:
        """Raises Invalid or NotFound."""
        sections: dict[str, Any] = {}
        for section, model in _SECTIONS.items():
            given = {
                name.partition(".")[2]: row.value
                for name, row in rows.items()
                if (field := _known(name)).section == section and not self._is_configured(field)
            }
            base: BaseModel = getattr(self._config, section)
            try:
                checked = model.model_validate(given)
            except ValidationError as wrong:
                problems = [(f"{section}.{where}", what) for where, what in problems_of(wrong)]
                raise Invalid(sentence(problems)) from wrong
            changed = {name: getattr(checked, name) for name in checked.model_fields_set}
            sections[section] = base.model_copy(update=changed)
        return sections

    def _notify_listeners(self) -> None:
        for listener in self._listeners:
            listener()


def _known(name: str) -> _Field:
    if name not in _FIELDS:
        raise no_such("setting", name, _FIELDS)
    return _FIELDS[name]
