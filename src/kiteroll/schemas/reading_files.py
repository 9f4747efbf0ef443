"""Files of reading documents: one, a list, or one a line; errors name their place."""

import json
from collections.abc import Sequence
from typing import Any

from pydantic import ValidationError

from kiteroll.core.errors import Invalid
from kiteroll.core.model.reading import Reading
from kiteroll.model_errors import what_of
from kiteroll.schemas.reading_convert import from_document
from kiteroll.schemas.reading_document import ReadingDocument

_MAX_PROBLEMS = 20


def read_documents(text: str, file: str) -> list[ReadingDocument]:
    """Reading documents of a file: one, a list of them, or one a line (JSON Lines). Raises Invalid."""
    return [document for document, _ in _understood(text, file)]


def read_readings(text: str, file: str) -> list[Reading]:
    """The readings that these documents hold. Raises Invalid."""
    return [reading for _, reading in _understood(text, file)]


def _understood(text: str, file: str) -> list[tuple[ReadingDocument, Reading]]:
    """Each document with its reading: only what makes a reading is a document.

    Raises Invalid naming the file, and line and column or the path of what is wrong.
    """
    try:
        loaded = json.loads(text)
        found = [(f"{file}", one) for one in (loaded if isinstance(loaded, list) else [loaded])]
    except RecursionError as deep:
        raise Invalid(f"{file}: it is no reading document: its parts are nested too deeply") from deep
    except ValueError as wrong:
        found = _lines(text, file, wrong)
    if not found:
        raise Invalid(f"{file}: it holds no reading")
    problems: list[str] = []
    understood: list[tuple[ReadingDocument, Reading]] = []
    for where, one in found:
        if len(problems) >= _MAX_PROBLEMS:
            break
        try:
            document = ReadingDocument.model_validate(one)
            understood.append((document, from_document(document)))
        except ValidationError as wrong:
            problems += [f"{where}, {_path(error['loc'])}: {what_of(error)}" for error in wrong.errors()]
        except Invalid as wrong:
            problems.append(f"{where}, {wrong}")
    if problems:
        raise Invalid("\n  ".join(("nothing of the file was taken:", *problems[:_MAX_PROBLEMS])))
    return understood


def _lines(text: str, file: str, wrong: ValueError) -> list[tuple[str, Any]]:
    lines = [(number, line) for number, line in enumerate(text.splitlines(), 1) if line.strip()]
    if len(lines) < 2 or not lines[0][1].rstrip().endswith("}"):
        raise Invalid(f"{file}: it is no JSON: {wrong}") from wrong
    found = []
    for number, line in lines:
        try:
            found.append((f"{file}, line {number}", json.loads(line)))
        except (ValueError, RecursionError) as bad:
            raise Invalid(f"{file}, line {number}: it is no JSON: {bad}") from bad
    return found


def _path(location: Sequence[int | str]) -> str:
    text = "".join(f"[{part}]" if isinstance(part, int) else f".{part}" for part in location)
    return text.removeprefix(".") or "the document"
