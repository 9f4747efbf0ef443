"""Output of every command: tables for people, JSON and CSV for programs.

Data goes to stdout; everything else to stderr. Colour only on a terminal.
"""

import csv
import json
import sys
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cached_property
from typing import TYPE_CHECKING, Any, Generic, Literal, TypeVar

from kiteroll.schemas.csv_cell import csv_cell

if TYPE_CHECKING:
    from rich.console import Console

T = TypeVar("T")
Format = Literal["table", "json", "csv"]
PLAIN_WIDTH = 2000
"""Characters a line of a table that goes to a file or a pipe: nothing is cut off there."""


_GAP = 2
"""Blanks between columns."""
_LEAST = 24
"""The last column may be cut down to this."""


@dataclass(frozen=True, slots=True)
class Column(Generic[T]):
    title: str
    """Heading in tables; in CSV the same with underscores."""
    value: Callable[[T], Any]
    right: bool = False
    style: Callable[[T], str] = lambda _: ""
    shown: Callable[[T], str] | None = None
    """How people see it, where that differs from the value programs get."""


class Output:
    def __init__(self, format: Format, now: Callable[[], datetime]) -> None:
        self.format = format
        self._now = now

    @cached_property
    def _console(self) -> "Console":
        from rich.console import Console  # loaded when something is printed for people

        width = None if sys.stdout.isatty() else PLAIN_WIDTH
        return Console(width=width, highlight=False, soft_wrap=False)

    @cached_property
    def _notes(self) -> "Console":
        from rich.console import Console

        return Console(stderr=True, highlight=False)

    def rows(self, items: Sequence[T], columns: Sequence[Column[T]], *, empty: str) -> None:
        """A list; `empty` is shown to people when there is nothing in it."""
        if self.format == "json":
            self.json([_plain(item) for item in items])
        elif self.format == "csv":
            writer = csv.writer(sys.stdout, lineterminator="\n")
            writer.writerow([column.title.lower().replace(" ", "_") for column in columns])
            for item in items:
                writer.writerow([_cell(column.value(item)) for column in columns])
        elif items:
            self._table(items, columns)
        else:
            self.note(empty)

    def done(self, item: T, columns: Sequence[Column[T]], sentence: str) -> None:
        """The result of a change: a sentence for people, the thing itself for programs."""
        if self.format == "table":
            self.note(sentence)
        else:
            self.rows([item], columns, empty="")

    def json(self, value: Any) -> None:
        sys.stdout.write(json.dumps(_plain(value), indent=2, ensure_ascii=False) + "\n")

    def json_line(self, value: Any) -> None:
        """One object a line, for streams; written at once."""
        sys.stdout.write(json.dumps(_plain(value), ensure_ascii=False) + "\n")
        sys.stdout.flush()

    def facts(self, facts: Iterable[tuple[str, Any]]) -> None:
        """Names and values, one a line, for people."""
        from rich.table import Table
        from rich.text import Text

        table = Table(box=None, show_header=False, padding=(0, 2, 0, 0))
        for name, value in facts:
            table.add_row(Text(name, "dim"), _text(value))
        self._console.print(table)

    def line(self, text: str) -> None:
        from rich.text import Text

        self._console.print(Text(text))

    def note(self, text: str, style: str = "") -> None:
        """For the person at the terminal, never part of the data."""
        from rich.text import Text

        self._notes.print(Text(text, style))

    def age(self, at: datetime | None) -> str:
        return "never" if at is None else age(self._now() - at)

    def until(self, at: datetime) -> str:
        return age(at - self._now())

    def _table(self, items: Sequence[T], columns: Sequence[Column[T]]) -> None:
        """Empty columns are left out. What does not fit the window is dropped from the right, whole columns
        at a time: an address or a place that is cut would mislead."""
        filled = [
            (column, words)
            for column in columns
            if any(words := [_text((column.shown or column.value)(item)) for item in items])
        ]
        if sys.stdout.isatty():
            self._window_table(items, filled)
        else:
            _plain_table(filled)

    def _window_table(self, items: Sequence[T], filled: Sequence[tuple[Column[T], list[str]]]) -> None:
        from rich.table import Table
        from rich.text import Text

        table = Table(box=None, header_style="bold", padding=(0, _GAP, 0, 0), pad_edge=False)
        cells: list[list[Text]] = []
        left = self._console.width
        for column, words in filled:
            styled = [Text(word, column.style(item)) for word, item in zip(words, items, strict=True)]
            width = max(len(column.title), *(word.cell_len for word in styled))
            if left < min(width, _LEAST):
                break
            justify: Literal["left", "right"] = "right" if column.right else "left"
            shown = min(width, left)
            table.add_column(column.title, justify=justify, no_wrap=True, overflow="ellipsis", width=shown)
            cells.append(styled)
            left -= shown + _GAP
        for row in zip(*cells, strict=True):
            table.add_row(*row)
        self._console.print(table)


def _plain_table(filled: Sequence[tuple[Column[Any], list[str]]]) -> None:
    """For a file or a pipe: nothing is cut off, and the library that draws in windows is not loaded."""
    cells = []
    for column, words in filled:
        width = max(len(column.title), *map(len, words))
        pad = str.rjust if column.right else str.ljust
        cells.append([pad(word, width) for word in (column.title, *words)])
    for row in zip(*cells, strict=True):
        sys.stdout.write((" " * _GAP).join(row).rstrip() + "\n")


def age(span: timedelta) -> str:
    """A span in one unit: 40 s, 12 min, 5 h, 3 d."""
    seconds = max(0, round(span.total_seconds()))
    for unit, size in (("d", 86400), ("h", 3600), ("min", 60)):
        if seconds >= 2 * size or (size == 86400 and seconds >= size):
            return f"{seconds // size} {unit}"
    return f"{seconds} s"


def _plain(value: Any) -> Any:
    if hasattr(value, "model_dump"):
        return value.model_dump(mode="json")
    if isinstance(value, list | tuple):
        return [_plain(item) for item in value]
    return value


def _cell(value: Any) -> str:
    if isinstance(value, datetime):
        return value.isoformat(timespec="milliseconds").replace("+00:00", "Z")
    if isinstance(value, list | tuple):
        return csv_cell(" ".join(str(part) for part in value))
    return "" if value is None else csv_cell(value) if isinstance(value, str) else str(value)


def _text(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, datetime):
        return value.strftime("%Y-%m-%d %H:%M:%SZ")
    if isinstance(value, list | tuple):
        return ", ".join(str(part) for part in value)
    return "" if value is None else str(value)
