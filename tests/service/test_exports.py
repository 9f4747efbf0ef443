"""Every export, read back, is what the API lists; in every format."""

import csv
import io
import json
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any
from xml.etree import ElementTree

import httpx
import pytest
from openpyxl import load_workbook
from pyarrow import parquet

from kiteroll.schemas import api
from kiteroll.schemas.flat import columns_of, types_of
from tests.support.harness import Lab, Service

V1 = "/api/v1"
LISTS: dict[str, tuple[str, type]] = {
    "switches": ("/switches", api.Switch),
    "ports": ("/switches/quay-1/ports", api.Port),
    "neighbours": ("/switches/core-1/neighbours", api.Neighbour),
    "endpoints": ("/endpoints", api.Endpoint),
    "stays": ("/stays", api.Stay),
    "homes": ("/endpoints/{mac}/homes?days=400", api.HomeInterval),
    "labels": ("/labels", api.Label),
    "changes": ("/changes", api.Change),
    "readings": ("/readings", api.ReadingSummary),
    "findings": ("/findings", api.Finding),
    "vlans": ("/vlans", api.VlanSummary),
    "rules": ("/rules", api.PortRules),
    "barred": ("/barred", api.BarredEntry),
    "absent": ("/roll-call/absent", api.AbsentEntry),
    "roll-call": ("/roll-call", api.RollCallPort),
    "discovered-switches": ("/discovered-switches", api.Neighbour),
}
ONLY = {
    "ports": {"switch": "quay-1"},
    "neighbours": {"switch": "core-1"},
    "changes": {"until": "{now}"},
    "stays": {"switch": "quay-1", "uplinks": "false"},
    "endpoints": {"switch": "quay-1"},
}


@pytest.fixture(scope="module")
def http(service: Service, lab: Lab) -> Iterator[httpx.Client]:
    with service.http(service.token, V1) as client:
        body = {"labels": {"02:1a:ee:00:00:01": {"label": "=spare reader", "owner": "Ticketing; night crew"}}}
        assert client.patch("/labels", json=body).status_code == 200
        client.post("/barred", json={"prefix": "02:1a:ee", "reason": "lost"})
        yield client
        client.delete("/labels/02:1a:ee:00:00:01")
        client.delete("/barred/021aee")


def _pages(http: httpx.Client, path: str, given: dict[str, str]) -> list[dict[str, Any]]:
    rows: list[dict[str, Any]] = []
    params: dict[str, Any] = {**given, "limit": 1000}
    while True:
        answer = http.get(path, params=httpx.URL(path).params.merge(params)).json()
        rows += answer["items"]
        if answer["next"] is None:
            return rows
        params["cursor"] = answer["next"]


@pytest.mark.parametrize("name", LISTS)
def test_what_is_exported_is_what_is_listed(http: httpx.Client, name: str) -> None:
    path, model = LISTS[name]
    given = {
        key: value.format(now=datetime.now(UTC).isoformat()) for key, value in ONLY.get(name, {}).items()
    }
    if name == "homes":
        mac = http.get("/stays?switch=quay-1&uplinks=false").json()["items"][0]["mac"]
        path, given = path.format(mac=mac), {"mac": mac}
    own = {} if name in ("ports", "neighbours", "homes") else given
    for _ in range(3):  # switches are read meanwhile: what changed in between is compared again
        before = _pages(http, path, own)
        files = {media: http.get(f"/exports/{name}.{media}", params=given) for media in FORMATS}
        if _pages(http, path, own) == before:
            break
    assert all(one.status_code == 200 for one in files.values()), [one.text for one in files.values()]
    assert json.loads(files["json"].content) == before
    assert [json.loads(line) for line in files["jsonl"].content.splitlines()] == before
    columns, types = columns_of(model), types_of(model)
    flat = [[_cell(row, column) for column in columns] for row in before]
    for media in ("csv", "xlsx", "parquet"):
        heading, rows = FORMATS[media](files[media].content)
        assert heading == columns, (name, media)
        assert len(rows) == len(flat), (name, media)
        for written, listed in zip(rows, flat, strict=True):
            for column, one, other in zip(columns, written, listed, strict=True):
                value, wanted = _same(one, types[column]), _same(other, types[column])
                if types[column] is datetime and None not in (value, wanted):
                    assert abs(value - wanted) < 0.002, (name, media, column)
                else:
                    assert value == wanted, (name, media, column)
    tree = ElementTree.fromstring(files["xml"].content)
    assert (tree.tag, len(tree)) == (name, len(before))
    if before:
        assert [one.tag for one in tree[0]] == list(before[0])
        assert [one.text or "" for one in tree[0] if not len(one)] == [
            _xml(value) for value in before[0].values() if not isinstance(value, dict | list) or not value
        ]


def _cell(row: dict[str, Any], column: str) -> Any:
    value: Any = row
    for part in column.split("."):
        value = None if value is None else value[part]
    if isinstance(value, list) and any(isinstance(one, dict) for one in value):
        return json.dumps(value, ensure_ascii=False)
    if isinstance(value, list):
        return "; ".join(map(str, value))
    return json.dumps(value, ensure_ascii=False) if isinstance(value, dict) else value


def _same(value: Any, kind: type) -> Any:
    """One form for what the formats write in theirs; sheets keep times to the millisecond."""
    if value in (None, ""):
        return None
    if kind is datetime:
        at = value if isinstance(value, datetime) else datetime.fromisoformat(value)
        return at.replace(tzinfo=at.tzinfo or UTC).timestamp()
    if kind in (int, float):
        return round(float(value), 6)
    text = str(value)
    if text[:1] in "[{":
        return json.loads(text)
    return text.lower() if kind is bool else text.removeprefix("'")


def _xml(value: Any) -> str:
    if isinstance(value, bool):
        return str(value).lower()
    return "" if value in (None, [], {}) else str(value)


def _of_csv(content: bytes) -> tuple[list[str], list[list[Any]]]:
    heading, *rows = list(csv.reader(io.StringIO(content.decode())))
    return heading, rows


def _of_sheet(content: bytes) -> tuple[list[str], list[list[Any]]]:
    sheet = load_workbook(io.BytesIO(content)).worksheets[0]
    assert sheet.freeze_panes == "A2" and str(sheet.auto_filter.ref).startswith("A1:")
    heading, *rows = [[cell.value for cell in row] for row in sheet.iter_rows()]
    return [str(one) for one in heading], rows


def _of_parquet(content: bytes) -> tuple[list[str], list[list[Any]]]:
    table = parquet.read_table(io.BytesIO(content))
    return table.column_names, [list(row.values()) for row in table.to_pylist()]


FORMATS: dict[str, Any] = {
    "csv": _of_csv,
    "json": None,
    "jsonl": None,
    "xml": None,
    "xlsx": _of_sheet,
    "parquet": _of_parquet,
}


def test_lists_of_the_whole_network_have_every_switch(http: httpx.Client) -> None:
    names = {
        one["name"] for one in _pages(http, "/switches", {}) if one["source"] == "snmp" and one["healthy"]
    }
    for name in ("ports", "neighbours"):
        rows = http.get(f"/exports/{name}.json").json()
        assert {row["switch"] for row in rows} >= names and len(names) >= 12
    links = http.get("/exports/links.json").json()
    assert links == http.get("/map").json()["links"] and len(links) >= 11
    by_hand = _pages(http, "/findings", {"state": "cleared"})
    assert http.get("/exports/findings.json?state=cleared").json() == by_hand
    here = http.get("/exports/endpoints.json", params={"switch": "quay-1", "life": "present"}).json()
    assert here and {one["home"]["switch"] for one in here} == {"quay-1"}


def test_csv_is_written_as_it_is_asked_for(http: httpx.Client) -> None:
    plain = http.get("/exports/labels.csv").text.splitlines()
    assert plain[0] == "mac,label,owner,notes,seen"
    assert "02:1a:ee:00:00:01,'=spare reader,Ticketing; night crew,,false" in plain
    other = {"separator": "semicolon", "heading": "false", "formulas": "true"}
    wanted = '02:1a:ee:00:00:01;=spare reader;"Ticketing; night crew";;false'
    assert wanted in http.get("/exports/labels.csv", params=other).text.splitlines()
    assert http.get("/exports/labels.json", params=other).status_code == 422
    empty = http.get("/exports/discovered-switches.csv").text
    assert empty.startswith("switch,port,name,"), "an empty list has its heading"
