"""Rows of a CSV file that a command was given."""

import csv
from collections.abc import Sequence
from pathlib import Path

from kiteroll.core.errors import Invalid

Row = dict[str | None, str | None]


def csv_rows(file: Path) -> tuple[Sequence[str], list[tuple[int, Row]]]:
    """The heading, and each row with its line. Commas, semicolons, tabs or bars part the columns. Raises
    Invalid when the file is no CSV."""
    try:
        with file.open(newline="", encoding="utf-8-sig") as lines:
            separator = _separator(lines.readline())
            lines.seek(0)
            reader = csv.DictReader(lines, strict=True, delimiter=separator)
            columns = reader.fieldnames or []
            return columns, [(reader.line_num, row) for row in reader]
    except (OSError, UnicodeDecodeError, csv.Error) as wrong:
        raise Invalid(f"{file} cannot be read as CSV: {wrong}") from wrong


def _separator(heading: str) -> str:
    """The one that is there most often."""
    return max(",;\t|", key=heading.count)
