"""Writes the files that are generated from the code, or with --check says which are stale.

docs/openapi.json (the API), docs/reading-document.schema.json (the reading document), docs/problems.md
(errors of the API) and docs/fields.md (every field, wherever it appears).
"""

import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from kiteroll.api.app import make_app
from kiteroll.api.contract.problem_types import PROBLEM_TYPES, as_markdown
from kiteroll.schemas.reading_document import ReadingDocument
from scripts.field_table import field_table

DOCS = Path(__file__).parent.parent / "docs"


def openapi() -> dict[str, Any]:
    return make_app().openapi()


def reading_schema() -> dict[str, Any]:
    schema = ReadingDocument.model_json_schema(mode="serialization")
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "$id": "urn:kiteroll:reading:1",
        **schema,
    }


def as_json(document: dict[str, Any]) -> str:
    return json.dumps(document, indent=2, ensure_ascii=False) + "\n"


GENERATED: dict[str, Callable[[], str]] = {
    "openapi.json": lambda: as_json(openapi()),
    "reading-document.schema.json": lambda: as_json(reading_schema()),
    "problems.md": lambda: as_markdown(PROBLEM_TYPES.items()),
    "fields.md": field_table,
}


def stale() -> list[str]:
    return [
        name
        for name, make in GENERATED.items()
        if not (DOCS / name).exists() or (DOCS / name).read_text() != make()
    ]


def main() -> int:
    if "--check" in sys.argv:
        for name in stale():
            print(f"docs/{name} is stale: run `make generated`", file=sys.stderr)
        return 1 if stale() else 0
    for name, make in GENERATED.items():
        (DOCS / name).write_text(make())
    return 0


if __name__ == "__main__":
    sys.exit(main())
