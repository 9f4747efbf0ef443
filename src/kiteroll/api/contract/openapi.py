"""What the framework cannot know of the API: bodies a route reads itself, events of the stream, the problems
each call may answer with, and an example of every body."""

from collections.abc import Mapping
from typing import Any

from fastapi import FastAPI
from pydantic import TypeAdapter

from kiteroll.api.calls import CALLS
from kiteroll.api.contract.examples import REQUESTS, example_of
from kiteroll.api.contract.problem_types import PAGES, PROBLEM_TYPES
from kiteroll.schemas.api import Problem
from kiteroll.schemas.reading_document import ReadingDocument
from kiteroll.schemas.stream import StreamEvent

_COMPONENTS = "#/components/schemas/{model}"
STREAM: dict[str, Any] = {
    "description": "events, each with `id`, `event` and, as `data`, an object of this form (a line of JSON)",
    "content": {"text/event-stream": {"schema": {"$ref": _COMPONENTS.format(model="StreamEvent")}}},
}
_PROBLEM = "application/problem+json"
_ALWAYS = (401, 404, 422, 500, 503)
_OF_CHANGES = (400, 408, 409, 412, 413)
_OF_DEVICES = (502, 504)
_REACH_DEVICES = frozenset({"act", "approve_proposal", "read_now", "test_credential", "test_alert_target"})
_SIGN_IN = frozenset({"sign_in", "get_session", "sign_out", "begin_openid", "end_openid"})
_DETAILS = {
    "not_found": "no switch 'quay-l'; did you mean quay-1?",
    "invalid": "query.limit: must be at most 1000",
    "changed_meanwhile": 'If-Match asks for "0a1b", but it has the tag "2c3d" now: read it again',
}


def document(app: FastAPI) -> None:
    """Complete the OpenAPI document of an application."""
    generate = app.openapi

    def openapi() -> dict[str, Any]:
        if app.openapi_schema is None:
            whole = generate()
            schemas = whole["components"]["schemas"]
            reading = ReadingDocument.model_json_schema(ref_template=_COMPONENTS)
            problem = Problem.model_json_schema(ref_template=_COMPONENTS, mode="serialization")
            stream = TypeAdapter(StreamEvent).json_schema(ref_template=_COMPONENTS, mode="serialization")
            for name, schema in (
                ("ReadingDocument", reading),
                ("StreamEvent", stream),
                ("Problem", problem),
            ):
                schemas |= schema.pop("$defs", {}) | {name: schema}
            whole["components"]["responses"] = _problems()
            for path, calls in whole["paths"].items():
                for method, call in calls.items():
                    _complete(path, method, call, schemas)
        return generate()

    app.openapi = openapi  # type: ignore[method-assign]


def _problems() -> dict[str, Any]:
    """A response for each status; several codes may share one."""
    found: dict[str, Any] = {}
    for code, one in PROBLEM_TYPES.items():
        response = found.setdefault(
            f"Problem{one.status}",
            {
                "description": one.title,
                "content": {
                    _PROBLEM: {"schema": {"$ref": _COMPONENTS.format(model="Problem")}, "examples": {}}
                },
            },
        )
        errors = [{"where": "query.limit", "what": "must be at most 1000"}] if code == "invalid" else []
        value = {
            "type": f"{PAGES}{code}",
            "title": one.title,
            "status": one.status,
            "detail": _DETAILS.get(code, one.meaning),
            "code": code,
            "errors": errors,
        }
        response["content"][_PROBLEM]["examples"][code] = {"summary": one.meaning, "value": value}
    return found


def _complete(path: str, method: str, call: dict[str, Any], schemas: Mapping[str, Any]) -> None:
    responses, operation = call["responses"], call["operationId"]
    for status in [one for one in responses if one >= "400"]:
        del responses[status]
    for number in _statuses(method, operation):
        responses[str(number)] = {"$ref": f"#/components/responses/Problem{number}"}
    sent = call.get("requestBody", {}).get("content", {}).get("application/json")
    if sent:
        sent["example"] = REQUESTS.get(operation) or example_of(sent["schema"], schemas, sent=True)
    for status, response in responses.items():
        body = response.get("content", {}).get("application/json")
        if status < "400" and body and body.get("schema"):
            body["example"] = example_of(body["schema"], schemas)


def _statuses(method: str, operation: str) -> list[int]:
    found = set(_ALWAYS)
    if operation in CALLS:
        found.add(403)
    if method != "get":
        found |= {*_OF_CHANGES, 403}
    if operation in _REACH_DEVICES:
        found |= set(_OF_DEVICES)
    if operation in _SIGN_IN:
        found |= {429, 409}
    return sorted(found)
