"""What the framework cannot know of the API: bodies that a route reads itself, and events of the stream."""

from typing import Any

from fastapi import FastAPI
from pydantic import TypeAdapter

from kiteroll.schemas.reading_document import ReadingDocument
from kiteroll.schemas.stream import StreamEvent

_COMPONENTS = "#/components/schemas/{model}"
STREAM: dict[str, Any] = {
    "description": "events, each with `id`, `event` and, as `data`, an object of this form (a line of JSON)",
    "content": {"text/event-stream": {"schema": {"$ref": _COMPONENTS.format(model="StreamEvent")}}},
}


def document(app: FastAPI) -> None:
    """Complete the OpenAPI document of an application."""
    generate = app.openapi

    def openapi() -> dict[str, Any]:
        if app.openapi_schema is None:
            schemas = generate()["components"]["schemas"]
            reading = ReadingDocument.model_json_schema(ref_template=_COMPONENTS)
            stream = TypeAdapter(StreamEvent).json_schema(ref_template=_COMPONENTS, mode="serialization")
            for name, schema in (("ReadingDocument", reading), ("StreamEvent", stream)):
                schemas |= schema.pop("$defs", {}) | {name: schema}
        return generate()

    app.openapi = openapi  # type: ignore[method-assign]
