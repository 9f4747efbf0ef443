"""Writes the files that are generated from the code, or with --check says which are stale.

docs/openapi.json (the API) and docs/reading-document.schema.json (the reading document).
"""

import json
import sys
from pathlib import Path
from typing import Any

from kiteroll.api.app import make_app
from kiteroll.schemas.reading_document import ReadingDocument

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


GENERATED = {"openapi.json": openapi, "reading-document.schema.json": reading_schema}


def stale() -> list[str]:
    return [
        name
        for name, make in GENERATED.items()
        if not (DOCS / name).exists() or json.loads((DOCS / name).read_text()) != make()
    ]


def main() -> int:
    if "--check" in sys.argv:
        for name in stale():
            print(f"docs/{name} is stale: run `make generated`", file=sys.stderr)
        return 1 if stale() else 0
    for name, make in GENERATED.items():
        (DOCS / name).write_text(json.dumps(make(), indent=2, ensure_ascii=False) + "\n")
    return 0


if __name__ == "__main__":
    sys.exit(main())
