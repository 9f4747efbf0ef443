"""What holds for every call alike: pages, parameters, preconditions, calls that are sent twice, HEAD."""

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from typing import Any

import httpx
import pytest

from kiteroll.api.contract.problem_types import PROBLEM_TYPES
from kiteroll.client import Client, add_credential, remove_credential
from kiteroll.schemas.api import Credential, NewCredential
from tests.support.harness import Lab, Service

V1 = "/api/v1"


@pytest.fixture
def http(service: Service, lab: Lab) -> Iterator[httpx.Client]:
    with service.http(service.token, V1) as client:
        yield client


@pytest.fixture
def lists(http: httpx.Client) -> list[tuple[str, list[str]]]:
    """Every list of the API that needs no name in its path, and the orders it offers."""
    found = []
    for path, calls in http.get("/openapi.json").json()["paths"].items():
        given = {one["name"]: one for one in calls.get("get", {}).get("parameters", [])}
        if "sort" in given and not any(one.get("required") for one in given.values()):
            found.append((path.removeprefix(V1), given["sort"]["schema"]["enum"]))
    return found


def _rows(http: httpx.Client, path: str, **params: Any) -> list[Any]:
    rows: list[Any] = []
    while True:
        answer = http.get(path, params=params)
        assert answer.status_code == 200, answer.text
        rows += answer.json()["items"]
        if answer.json()["next"] is None:
            return rows
        params["cursor"] = answer.json()["next"]


def test_every_list_comes_in_pages_and_in_the_order_that_is_asked_for(
    http: httpx.Client, lists: list[tuple[str, list[str]]]
) -> None:
    assert len(lists) >= 30
    several = 0
    for path, orders in lists:
        whole = http.get(path, params={"limit": 1000}).json()
        # Read again meanwhile, some rows change; what they are called does not.
        names = [_name(one) for one in whole["items"][:40]]
        assert [_name(one) for one in _rows(http, path, limit=7)[: len(names)]] == names, path
        several += len(names) > 7
        for order in orders:
            rows = _rows(http, path, sort=order, limit=500)
            values = [_value(row, order.removeprefix("-")) for row in rows]
            numbers = [one for one in values if isinstance(one, int | float)]
            if len(numbers) == len(values):
                assert values == sorted(values, reverse=order.startswith("-")), (path, order)
        assert http.get(path, params={"sort": "colour"}).status_code == 422
        assert http.get(path, params={"cursor": "W10"}).status_code == 422
        assert "query.colour" in http.get(path, params={"colour": "red"}).text
    assert several >= 8


def _name(row: dict[str, Any]) -> Any:
    return [row.get(part) for part in ("id", "number", "name", "prefix", "mac", "kind", "switch", "port")]


def _value(row: dict[str, Any], name: str) -> Any:
    value: Any = row
    for part in name.split("."):
        value = value and value[part]
    return value


def test_a_mistyped_filter_does_not_pass_for_everything(http: httpx.Client) -> None:
    answer = http.get("/stays", params={"swich": "quay-1"})
    assert answer.status_code == 422
    (wrong,) = answer.json()["errors"]
    assert wrong["where"] == "query.swich" and wrong["what"].startswith("did you mean switch?")
    assert "did you mean name?" in http.get("/switches", params={"sort": "nam"}).text


def test_what_is_wrong_is_said_in_plain_words(http: httpx.Client) -> None:
    def said(answer: httpx.Response) -> str:
        return str(answer.json()["detail"])

    assert said(http.get("/endpoints?limit=0")) == "query.limit: must be at least 1"
    assert "query.since: must be a time with its zone" in said(http.get("/changes?since=yesterday"))
    broken = http.post("/switches", content=b'{"name": ', headers={"Content-Type": "application/json"})
    assert (broken.status_code, broken.json()["code"]) == (400, "bad_json")
    assert "cannot be read as JSON" in said(broken)
    assert (
        said(http.post("/credentials", json={"name": 7}))
        == "body.name: must be text; body.access: is required"
    )


def test_every_problem_has_a_page(http: httpx.Client, service: Service) -> None:
    kind = http.get("/switches/no-such").json()["type"]
    with service.http() as anybody:
        assert "There is nothing by this name" in anybody.get(kind).text
        for code, one in PROBLEM_TYPES.items():
            page = anybody.get(f"/problems/{code}")
            assert page.status_code == 200 and one.title in page.text
        assert anybody.get("/problems/nonsense").status_code == 404


def test_head_is_get_without_a_body(http: httpx.Client) -> None:
    for path in ("/switches", "/switches/quay-1", "/health", "/exports/switches.csv"):
        head, get = http.head(path), http.get(path)
        assert (head.status_code, head.content) == (200, b"")
        assert head.headers["content-type"] == get.headers["content-type"]
        assert head.headers.get("etag") == get.headers.get("etag")
    assert http.head("/switches/no-such").status_code == 404
    assert http.head("/stream").status_code == 405
    assert http.post("/map").headers["allow"] == "GET"


def test_who_changes_what_was_changed_meanwhile_is_reported(http: httpx.Client) -> None:
    path = "/switches/quay-3"
    seen = http.get(path).headers["etag"]
    assert http.post("/switches/quay-3/readings").status_code == 200
    assert http.get(path).headers["etag"] == seen, "a reading changes nothing that people set"
    first = http.patch(path, json={"notes": "behind the ticket hall"}, headers={"If-Match": seen})
    assert first.status_code == 200
    assert first.headers["etag"] == http.get(path).headers["etag"] != seen
    late = http.patch(path, json={"notes": "lost"}, headers={"If-Match": seen})
    assert (late.status_code, late.json()["code"]) == (412, "changed_meanwhile")
    assert http.get(path).json()["notes"] == "behind the ticket hall"
    both = http.patch(path, json={"notes": ""}, headers={"If-Match": f"{seen}, {first.headers['etag']}"})
    assert both.status_code == 200
    assert http.patch(path, json={"notes": ""}, headers={"If-Match": "*"}).status_code == 200
    assert http.patch(path, json={"notes": ""}, headers={"If-Match": "unquoted"}).status_code == 422
    for path, body in (("/rounds", {"all": True}), ("/readings", [])):
        answer = http.post(path, json=body, headers={"If-Match": seen})
        assert answer.status_code == 422 and "has an entity tag" in answer.text


def test_of_changes_that_come_at_once_with_one_tag_one_is_made(http: httpx.Client) -> None:
    path = "/switches/quay-2"
    seen = http.get(path).headers["etag"]

    def change(number: int) -> int:
        said = {"notes": f"note {number}"}
        return http.patch(path, json=said, headers={"If-Match": seen}).status_code

    with ThreadPoolExecutor(8) as pool:
        answers = sorted(pool.map(change, range(8)))
    assert answers == [200] + [412] * 7
    assert http.patch(path, json={"notes": ""}).status_code == 200


def test_something_is_added_only_where_nothing_is(http: httpx.Client) -> None:
    new = {"settings": {"kind": "folder", "path": "/tmp/kiteroll-contract"}}
    only_new = {"If-None-Match": "*"}
    assert http.put("/alert-targets/once", json=new, headers=only_new).status_code == 200
    assert http.put("/alert-targets/once", json=new, headers=only_new).status_code == 412
    tag = http.get("/alert-targets/once").headers["etag"]
    assert http.delete("/alert-targets/once", headers={"If-Match": '"other"'}).status_code == 412
    assert http.delete("/alert-targets/once", headers={"If-Match": tag}).status_code == 204


def test_what_was_made_can_be_read_where_location_says(http: httpx.Client) -> None:
    soon = (datetime.now(UTC) + timedelta(days=1)).isoformat()
    for path, body in {
        "/credentials": {"name": "made-once", "access": {"community": "c"}},
        "/tokens": {"name": "made-once", "scopes": ["view"]},
        "/users": {"name": "made-once", "role": "viewer"},
        "/barred": {"prefix": "02:1a:ee", "reason": "made-once"},
        "/planned-work": {"ends_at": "2100-01-01T00:00:00Z", "switch": "quay-1", "reason": "made-once"},
        "/enrolment-windows": {"ends_at": soon, "level": {"switch": "quay-1"}},
    }.items():
        made = http.post(path, json=body)
        assert made.status_code == 201, made.text
        where = made.headers["location"].removeprefix(V1)
        assert http.get(where).status_code == 200, where
        end = http.post(f"{where}/close") if path == "/enrolment-windows" else http.delete(where)
        assert end.is_success


def test_a_post_that_is_sent_twice_is_carried_out_once(http: httpx.Client, service: Service) -> None:
    new, key = {"name": "twice", "scopes": ["view"]}, {"Idempotency-Key": "0190-aa"}
    first, again = (http.post("/tokens", json=new, headers=key) for _ in range(2))
    assert (first.status_code, first.content) == (again.status_code, again.content)
    assert again.headers["idempotent-replay"] == "true"
    assert again.headers["location"] == first.headers["location"]
    made = [one for one in _rows(http, "/tokens") if one["name"] == "twice"]
    assert len(made) == 1
    other = http.post("/tokens", json={**new, "name": "thrice"}, headers=key)
    assert (other.status_code, other.json()["code"]) == (422, "key_used_otherwise")
    assert http.delete(f"/tokens/{made[0]['id']}").status_code == 204

    # What was refused changed nothing: the same key is free for the request once it is mended.
    mended = {"Idempotency-Key": "0190-bb"}
    with Client(service.url, service.token) as kite:
        kite.send(add_credential(NewCredential(name="there", access=Credential(community="c"))))
        body = {"name": "there", "access": {"community": "c"}}
        assert http.post("/credentials", json=body, headers=mended).status_code == 409
        kite.send(remove_credential("there"))
    assert http.post("/credentials", json=body, headers=mended).status_code == 201
    assert http.delete("/credentials/there").status_code == 204
    assert http.post("/tokens", json=new, headers={"Idempotency-Key": "x" * 300}).status_code == 422
