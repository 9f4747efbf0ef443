"""The OpenAPI document: exact types, and examples of every call and error that fit their schemas."""

from typing import Any

import pytest
from jsonschema import Draft202012Validator

from kiteroll.api.app import make_app
from kiteroll.api.contract.problem_types import PROBLEM_TYPES


@pytest.fixture(scope="module")
def whole() -> dict[str, Any]:
    return make_app().openapi()


def _calls(whole: dict[str, Any]) -> list[tuple[str, dict[str, Any]]]:
    return [(call["operationId"], call) for calls in whole["paths"].values() for call in calls.values()]


def _check(whole: dict[str, Any], schema: Any, example: Any, where: str) -> None:
    found = Draft202012Validator({**schema, "components": whole["components"]}).iter_errors(example)
    assert not [f"{where}: {one.json_path}: {one.message[:200]}" for one in found]


def test_every_body_has_an_example_that_fits(whole: dict[str, Any]) -> None:
    count = 0
    for name, call in _calls(whole):
        sent = call.get("requestBody", {}).get("content", {}).get("application/json")
        if sent:
            _check(whole, sent["schema"], sent["example"], name)
            count += 1
        for status, response in call["responses"].items():
            body = response.get("content", {}).get("application/json")
            if status < "400" and body and body.get("schema"):
                _check(whole, body["schema"], body["example"], f"{name} {status}")
                count += 1
    assert count > 180


def test_examples_of_requests_pass_the_models_too(whole: dict[str, Any]) -> None:
    """Some fields hang together, which no schema says."""
    from kiteroll.schemas import api

    for name, call in _calls(whole):
        sent = call.get("requestBody", {}).get("content", {}).get("application/json", {})
        model = sent.get("schema", {}).get("$ref", "").rsplit("/", 1)[-1]
        if model and hasattr(api, model):
            getattr(api, model).model_validate(sent["example"]), name


def test_every_problem_is_an_example_of_its_status_and_has_its_type(whole: dict[str, Any]) -> None:
    shown: set[str] = set()
    for response in whole["components"]["responses"].values():
        (media,) = response["content"]
        assert media == "application/problem+json"
        for code, example in response["content"][media]["examples"].items():
            assert PROBLEM_TYPES[code].status == example["value"]["status"]
            _check(whole, response["content"][media]["schema"], example["value"], code)
            shown.add(code)
    assert shown == set(PROBLEM_TYPES)


def test_operations_are_readable_and_say_what_they_do(whole: dict[str, Any]) -> None:
    names = [name for name, _ in _calls(whole)]
    assert len(set(names)) == len(names) > 140
    for name, call in _calls(whole):
        assert name.islower() and name.isidentifier() and call["summary"], name
        assert "422" in call["responses"] and "500" in call["responses"], name
    stream = whole["paths"]["/api/v1/stream"]["get"]["responses"]["200"]["content"]
    assert list(stream) == ["text/event-stream"]
    files = whole["paths"]["/api/v1/exports/{file}"]["get"]["responses"]["200"]["content"]
    assert "text/csv" in files and "application/vnd.apache.parquet" in files
