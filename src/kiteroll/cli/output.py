"""Output of every command: tables for people, JSON and CSV for programs.

Data goes to stdout; everything else to stderr. Colour only on a terminal.
"""

import csv
import json
import sys
from collections.abc import Callable, Iterable, Sequence
from dataclasses import asdict, dataclass, is_dataclass
from datetime import datetime, timedelta
from functools import cached_property, partial
from operator import itemgetter
from typing import TYPE_CHECKING, Any, Generic, Literal, TypeVar

from kiteroll.core.errors import Invalid
from kiteroll.core.model.natural_order import natural_key

if TYPE_CHECKING:
    from rich.console import Console
    from rich.text import Text

T = TypeVar("T")
Format = Literal["table", "json", "csv"]
FORMATS: tuple[Format, ...] = ("table", "json", "csv")
PLAIN_WIDTH = 2000
"""Characters a line of a table that goes to a file or a pipe: nothing is cut off there."""


_GAP = 2
"""Blanks between columns."""
_LONG, _LEAST = 36, 24
"""Columns wider than the one are text, which goes on in the next line; they may be as narrow as the other."""


@dataclass(frozen=True, slots=True)
class Column(Generic[T]):
    title: str
    """Heading in tables; in CSV the same with underscores."""
    value: Callable[[T], Any]
    right: bool = False
    style: Callable[[T], str] = lambda _: ""
    shown: Callable[[T], str] | None = None
    """How people see it, where that differs from the value programs get."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Look:
    """How a list is to look."""

    columns: tuple[str, ...] = ()
    """Names of those that are shown, in this order; empty: as the list has them."""
    sort: str = ""
    """Name of a column; with - before it, the largest first."""
    headers: bool = True
    local: bool = False
    """Times of tables in the zone of this machine instead of UTC."""


_PLAIN = Look()


class Output:
    def __init__(self, format: Format, now: Callable[[], datetime], look: Look = _PLAIN) -> None:
        self.format = format
        self._now = now
        self._look = look
        self._streams = False

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
        """A list; `empty` is shown to people when there is nothing in it. JSON and CSV have the fields of the
        API, as exports do. Raises Invalid for a column that the list does not have."""
        if self.format == "csv":
            columns = _of_fields(items, columns)
        items = self._sorted(items, columns)
        columns = self._chosen(columns)
        if self.format == "json":
            self.json([_plain(item) for item in items])
        elif self.format == "csv":
            self._csv(items, columns)
        elif items:
            self._table(items, columns)
        else:
            self.note(empty)

    def stream(self, item: T, columns: Sequence[Column[T]]) -> None:
        """One row of a list that goes on; written at once."""
        if self.format == "json":
            self.json_line(item)
        elif self.format == "csv":
            self._csv([item], self._chosen(columns), headers=self._look.headers and not self._streams)
        else:
            self.line(
                "  ".join(filter(None, (self._text((one.shown or one.value)(item)) for one in columns)))
            )
        self._streams = True
        sys.stdout.flush()

    def _csv(self, items: Sequence[T], columns: Sequence[Column[T]], *, headers: bool | None = None) -> None:
        from kiteroll.schemas.flat import csv_value

        writer = csv.writer(sys.stdout, lineterminator="\n")
        if self._look.headers if headers is None else headers:
            writer.writerow([_field(column) for column in columns])
        for item in items:
            writer.writerow([csv_value(column.value(item)) for column in columns])

    def _chosen(self, columns: Sequence[Column[T]]) -> Sequence[Column[T]]:
        if not self._look.columns:
            return columns
        if self.format == "json":
            raise Invalid("--columns: json has every field; choose columns of a table or of csv")
        return [_named(name, columns, "--columns") for name in self._look.columns]

    def _sorted(self, items: Sequence[T], columns: Sequence[Column[T]]) -> Sequence[T]:
        """What has no value comes last, either way."""
        if not self._look.sort:
            return items
        column = _named(self._look.sort.removeprefix("-"), columns, "--sort")
        values = [(column.value(item), item) for item in items]
        there = [(natural_key(value), item) for value, item in values if value not in (None, "")]
        there.sort(key=itemgetter(0), reverse=self._look.sort.startswith("-"))
        return [item for _, item in there] + [item for value, item in values if value in (None, "")]

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
        words = [(name, self._text(value)) for name, value in facts]
        if not sys.stdout.isatty():
            _plain_facts(words)
            return
        from rich.table import Table
        from rich.text import Text

        table = Table(box=None, show_header=False, padding=(0, _GAP, 0, 0))
        for name, value in words:
            table.add_row(Text(name, "dim"), Text(value))
        self._console.print(table)

    def line(self, text: str) -> None:
        from rich.text import Text

        self._console.print(Text(text))

    def note(self, text: str, style: str = "") -> None:
        """For the person at the terminal, never part of the data."""
        from rich.text import Text

        self._notes.print(Text(text, style), soft_wrap=True)

    def age(self, at: datetime | None) -> str:
        return "never" if at is None else age(self._now() - at)

    def is_past(self, at: datetime | None) -> bool:
        return at is not None and at <= self._now()

    def until(self, at: datetime) -> str:
        return age(at - self._now())

    def _table(self, items: Sequence[T], columns: Sequence[Column[T]]) -> None:
        """Empty columns are left out. Where a window is too narrow for the others, each row is a record of
        names and values: an address or a place that is cut, or missing, would mislead."""
        filled = [
            (column, words)
            for column in columns
            if any(words := [self._text((column.shown or column.value)(item)) for item in items])
        ]
        if sys.stdout.isatty():
            self._window_table(items, filled)
        else:
            _plain_table(filled, headers=self._look.headers)

    def _text(self, value: Any) -> str:
        if isinstance(value, datetime) and self._look.local:
            return value.astimezone().strftime("%Y-%m-%d %H:%M:%S")
        return _text(value)

    def _window_table(self, items: Sequence[T], filled: Sequence[tuple[Column[T], list[str]]]) -> None:
        from rich.table import Table
        from rich.text import Text

        styled = [
            [Text(word, column.style(item)) for word, item in zip(words, items, strict=True)]
            for column, words in filled
        ]
        widths = [
            max(len(column.title), *(word.cell_len for word in words))
            for (column, _), words in zip(filled, styled, strict=True)
        ]
        least = sum(_LEAST if width > _LONG else width for width in widths) + _GAP * (len(widths) - 1)
        if least > self._console.width:
            self._records([column.title for column, _ in filled], styled)
            return
        table = Table(box=None, header_style="bold", padding=(0, _GAP, 0, 0), pad_edge=False)
        table.show_header = self._look.headers
        for (column, _), width in zip(filled, widths, strict=True):
            justify: Literal["left", "right"] = "right" if column.right else "left"
            if width > _LONG:
                table.add_column(column.title, min_width=_LEAST, max_width=width, overflow="fold")
            else:
                table.add_column(column.title, justify=justify, no_wrap=True, width=width)
        for row in zip(*styled, strict=True):
            table.add_row(*row)
        self._console.print(table)

    def _records(self, titles: Sequence[str], styled: Sequence[Sequence["Text"]]) -> None:
        """One row a block; long values go on in the next line."""
        from rich.table import Table
        from rich.text import Text

        for number, row in enumerate(zip(*styled, strict=True)):
            table = Table(box=None, show_header=False, padding=(0, _GAP, 0, 0), pad_edge=False)
            table.add_column(width=max(map(len, titles)), no_wrap=True)
            table.add_column(overflow="fold")
            for title, value in zip(titles, row, strict=True):
                if value.plain:
                    table.add_row(Text(title, "dim"), value)
            if number:
                self._console.print()
            self._console.print(table)


def _of_fields(items: Sequence[T], columns: Sequence[Column[T]]) -> Sequence[Column[T]]:
    """A column for each field of the model the rows are of; the given ones where they are of none."""
    from pydantic import BaseModel

    from kiteroll.schemas.flat import columns_of, value_of

    if not items or not isinstance(items[0], BaseModel):
        return columns
    return [Column(name, partial(value_of, name=name)) for name in columns_of(type(items[0]))]


def _named(name: str, columns: Sequence[Column[T]], option: str) -> Column[T]:
    wanted = name.strip().lower().replace(" ", "_")
    for column in columns:
        if _field(column).lower() == wanted:
            return column
    known = ", ".join(map(_field, columns))
    raise Invalid(f"{option}: there is no column {name.strip()!r}; there are {known}")


def _field(column: Column[Any]) -> str:
    """The name of a column for programs."""
    return column.title.replace(" ", "_")


def _plain_table(filled: Sequence[tuple[Column[Any], list[str]]], *, headers: bool) -> None:
    """For a file or a pipe: nothing is cut off, and the library that draws in windows is not loaded."""
    cells = []
    for column, words in filled:
        width = max(len(column.title), *map(len, words))
        pad = str.rjust if column.right else str.ljust
        cells.append([pad(word, width) for word in ((column.title, *words) if headers else words)])
    for row in zip(*cells, strict=True):
        sys.stdout.write((" " * _GAP).join(row).rstrip() + "\n")


def _plain_facts(facts: Sequence[tuple[str, str]]) -> None:
    """The same of names and values."""
    width = max((len(name) for name, _ in facts), default=0)
    for name, value in facts:
        sys.stdout.write(f"{name.ljust(width)}{' ' * _GAP}{value}".rstrip() + "\n")


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
    return asdict(value) if is_dataclass(value) and not isinstance(value, type) else value


def _text(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, datetime):
        return value.strftime("%Y-%m-%d %H:%M:%SZ")
    if isinstance(value, list | tuple):
        return ", ".join(str(part) for part in value)
    return "" if value is None else str(value)
