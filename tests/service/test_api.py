"""The API as a program on the network meets it."""

import asyncio
from collections.abc import Iterator
from typing import Any

import httpx
import pytest
from prometheus_client.parser import text_string_to_metric_families

from kiteroll.client import (
    AsyncClient,
    Client,
    ServiceError,
    add_credential,
    add_switch,
    change_credential,
    change_switch,
    credentials,
    health,
    read_now,
    remove_credential,
    remove_switch,
    switch,
    switches,
)
from kiteroll.lab.notifier import LAB_USER
from kiteroll.schemas.api import Credential, NewCredential, NewSwitch, Problem, SwitchChange
from kiteroll.schemas.stream import ReadingEvent
from tests.support.harness import Lab, Service, read_again, wait_until

V1 = "/api/v1"


@pytest.fixture
def http(service: Service) -> Iterator[httpx.Client]:
    with service.http(service.token) as client:
        yield client


def _problem(response: httpx.Response, status: int, code: str) -> Problem:
    assert response.status_code == status, response.text
    assert response.headers["content-type"] == "application/problem+json"
    problem = Problem.model_validate_json(response.content)
    assert (problem.status, problem.code) == (status, code)
    assert problem.type == f"/problems/{code}" and problem.title and problem.detail
    return problem


@pytest.mark.parametrize(
    "path", ["/switches", "/search?q=1", "/endpoints", "/changes", "/readings", "/health", "/stream"]
)
@pytest.mark.parametrize(
    "headers", [{}, {"Authorization": "Bearer wrong"}, {"Cookie": "kiteroll_session=forged"}]
)
def test_no_call_without_the_token(service: Service, path: str, headers: dict[str, str]) -> None:
    with service.http() as anybody:
        response = anybody.get(f"{V1}{path}", headers=headers)
    _problem(response, 401, "not_signed_in")


def test_a_session_is_opened_with_the_token_and_kept_from_scripts(service: Service) -> None:
    with service.http() as browser:
        _problem(browser.post(f"{V1}/session", json={"token": "guess"}), 401, "not_signed_in")
        opened = browser.post(f"{V1}/session", json={"token": service.token})
        cookie = opened.headers["set-cookie"].lower()
        said = opened.json()
        assert (said["signed_in"], said["name"], said["role"]) == (True, "admin", "administrator")
        assert "httponly" in cookie and "samesite=strict" in cookie and service.token.lower() not in cookie
        assert browser.get(f"{V1}/switches").status_code == 200
        browser.delete(f"{V1}/session")
        _problem(browser.get(f"{V1}/switches"), 401, "not_signed_in")


def test_the_last_four_digits_lead_to_the_one_port(http: httpx.Client, lab: Lab) -> None:
    ports = http.get(f"{V1}/switches/ticket-hall/ports").json()["items"]
    stays = http.get(f"{V1}/stays", params={"switch": "ticket-hall", "uplinks": False}).json()["items"]
    assert len(ports) == 24 and len(stays) >= 15
    for stay in stays:
        found = http.get(f"{V1}/search", params={"q": stay["mac"][-5:]}).json()["endpoints"]
        (one,) = [endpoint for endpoint in found if endpoint["mac"] == stay["mac"]]
        home = one["home"]
        assert (home["switch"], home["port"], home["vlan"]) == ("ticket-hall", stay["port"], stay["vlan"])
        assert all(place["leads_to"] for place in one["places"] if place["switch"] != "ticket-hall")


def test_an_ip_leads_to_the_port_too(http: httpx.Client) -> None:
    stay = http.get(f"{V1}/stays", params={"switch": "quay-1", "uplinks": False}).json()["items"][0]
    (ip,) = http.get(f"{V1}/endpoints/{stay['mac']}").json()["ips"]
    assert ip.startswith(f"10.{stay['vlan']}.")
    first = http.get(f"{V1}/search", params={"q": ip}).json()["endpoints"][0]
    assert first["mac"] == stay["mac"] and first["home"]["port"] == stay["port"]
    servers = http.get(f"{V1}/search", params={"q": "fd77:14:"}).json()["endpoints"]
    assert [one["home"]["port_alias"] for one in servers] == ["Server kiosk"]


def test_a_text_may_be_a_switch_or_a_label(http: httpx.Client) -> None:
    found = http.get(f"{V1}/search", params={"q": "quay-"}).json()
    assert [one["name"] for one in found["switches"]] == ["quay-1", "quay-2", "quay-3"]

    def labels() -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = http.get(f"{V1}/search", params={"q": "berth light"}).json()["ports"]
        return found

    wait_until(labels, "labels that were read just now to be found")
    assert all("Berth light" in one["alias"] and one["present"] == 1 for one in labels())
    assert http.get(f"{V1}/search", params={"q": "nobody knows"}).json()["endpoints"] == []


@pytest.mark.parametrize(
    ("method", "path", "body", "where"),
    [
        ("GET", "/search?q=02:1a:zz", None, "'z' is not a hexadecimal digit"),
        ("GET", "/endpoints/02:1a", None, "4 hexadecimal digits, not 12"),
        ("GET", "/endpoints?cursor=bogus", None, "cursor"),
        # Lists in base64: empty, of text, of a number, of a time without its zone, of nulls, nested.
        ("GET", "/endpoints?cursor=W10", None, "cursor"),
        ("GET", "/endpoints?cursor=WyJ4Il0", None, "cursor"),
        ("GET", "/endpoints?cursor=Wy0xXQ", None, "cursor"),
        ("GET", "/switches?cursor=WzFd", None, "cursor"),
        ("GET", "/changes?cursor=W3sidCI6IjIwMjYtMDEtMDEifSwxXQ", None, "cursor"),
        ("GET", "/changes?cursor=WyJhIiwxXQ", None, "cursor"),
        ("GET", "/readings?cursor=W251bGwsbnVsbF0", None, "cursor"),
        ("GET", "/findings?cursor=W1tbXV1d", None, "cursor"),
        ("GET", "/endpoints?limit=0", None, "query.limit"),
        ("GET", "/changes?since=yesterday", None, "query.since"),
        ("GET", "/findings?at=2026-01-01T00:00:00Z&state=open", None, "state"),
        ("GET", "/exports/findings.csv?at=2026-01-01T00:00:00Z&state=open", None, "state"),
        ("GET", "/findings?at=9000-01-01T00:00:00Z", None, "at"),
        ("GET", "/stays?vlan=5000", None, "query.vlan"),
        (
            "POST",
            "/switches",
            {"name": "x", "host": "300.1.1.1", "access": {"community": "c"}},
            "not an IPv4 address",
        ),
        (
            "POST",
            "/switches",
            {"name": "bad name", "host": "127.0.0.1", "access": {"community": "c"}},
            "body.name",
        ),
        ("POST", "/switches", {"name": "x", "host": "127.0.0.1"}, "credential (a named one) or access"),
        (
            "POST",
            "/switches",
            {"name": "x", "host": "127.0.0.1", "access": {"community": "c"}, "colour": "red"},
            "body.colour",
        ),
        (
            "POST",
            "/switches",
            {"name": "x", "host": "127.0.0.1", "access": {"community": "c"}, "port": 0},
            "body.port",
        ),
    ],
)
def test_bad_input_is_reported_where_and_changes_nothing(
    http: httpx.Client, method: str, path: str, body: object, where: str
) -> None:
    before = http.get(f"{V1}/switches").json()["items"]
    response = http.request(method, V1 + path, json=body)
    assert response.status_code == 422 and where in response.text
    assert response.headers["content-type"] == "application/problem+json"
    assert [one["name"] for one in http.get(f"{V1}/switches").json()["items"]] == [
        one["name"] for one in before
    ]


@pytest.mark.parametrize(
    "path", ["/endpoints/02:00:00:00:00:01", "/switches/no-such", "/switches/no-such/ports", "/nothing"]
)
def test_what_is_not_there_is_not_found(http: httpx.Client, path: str) -> None:
    _problem(http.get(V1 + path), 404, "not_found")


def test_the_community_never_comes_back(http: httpx.Client, service: Service) -> None:
    texts = [
        http.get(V1 + path).text for path in ("/switches", "/switches/quay-1", "/readings", "/search?q=quay")
    ]
    database = service.data / "database" / "data" / "kiteroll"
    for secret in ("tarn-read", LAB_USER.auth_password, LAB_USER.privacy_password):
        assert secret not in "".join(texts) and secret not in service.log
        assert not any(secret.encode() in file.read_bytes() for file in database.iterdir())


def test_a_switch_lives_from_adding_to_removing(service: Service, lab: Lab) -> None:
    new = NewSwitch(name="spare", host="127.0.0.1", port=9, access=Credential(community="x"), enabled=False)
    with service.client() as client:
        assert client.send(add_switch(new)).health == "off"
        with pytest.raises(ServiceError, match="already") as taken:
            client.send(add_switch(new))
        assert taken.value.status == 409
        assert (client.send(switch("spare")).credential_kind, client.send(switch("spare")).credential) == (
            "v2c community",
            None,
        )
        changed = client.send(change_switch("spare", SwitchChange(name="spare-2", interval_s=600)))
        assert (changed.name, changed.interval_s, changed.port) == ("spare-2", 600, 9)
        assert "spare-2" in [one.name for one in client.each(switches(limit=3))]
        client.send(remove_switch("spare-2"))
        with pytest.raises(ServiceError) as gone:
            client.send(switch("spare-2"))
        assert gone.value.status == 404


def test_a_named_credential_serves_many_switches_and_is_never_shown(
    service: Service, lab: Lab, http: httpx.Client
) -> None:
    wrong = Credential(community="not-this-one")
    where: dict[str, Any] = {"host": lab.switches["quay-2"], "port": lab.port, "credential": "terminal"}
    with service.client() as client:
        with pytest.raises(ServiceError, match="no credential 'terminal'"):
            client.send(add_switch(NewSwitch(name="twin", **where)))
        made = client.send(add_credential(NewCredential(name="terminal", access=wrong)))
        assert (made.kind, made.used_by) == ("v2c community", 0)
        client.send(add_switch(NewSwitch(name="twin", site="Quay", groups=["test"], **where)))
        await_health(client, "twin", "silent")
        reported = client.send(change_credential("terminal", Credential(community="tarn-read")))
        assert reported.used_by == 1
        assert read_again(client, "twin").outcome == "complete"
        one = client.send(switch("twin"))
        assert (one.credential, one.site, one.groups, one.health) == ("terminal", "Quay", ["test"], "read")
        assert one.next_try_at is not None and one.read_at is not None and one.next_try_at > one.read_at
        with pytest.raises(ServiceError, match="used by 1"):
            client.send(remove_credential("terminal"))
        assert "not-this-one" not in http.get(f"{V1}/credentials").text + http.get(f"{V1}/switches/twin").text
        client.send(remove_switch("twin"))
        client.send(remove_credential("terminal"))
        assert client.all(credentials()) == []


@pytest.mark.parametrize(
    ("access", "said"),
    [
        ({}, "a community or a user"),
        ({"community": "c", "user": "u"}, "a community or a user"),
        ({"user": "u"}, "version 3 goes with a user"),
        ({"version": "3", "user": "u", "privacy_password": "long enough"}, "privacy needs authentication"),
        ({"version": "3", "user": "u", "auth_password": "short"}, "at least 8"),
        ({"community": "c", "view": "c@vlan"}, "{vlan}"),
    ],
)
def test_a_credential_that_cannot_work_is_refused(
    http: httpx.Client, access: dict[str, str], said: str
) -> None:
    response = http.post(f"{V1}/credentials", json={"name": "x", "access": access})
    assert response.status_code == 422 and said in response.text


def test_neighbours_are_matched_to_known_switches_and_others_are_offered(http: httpx.Client) -> None:
    (core,) = http.get(f"{V1}/switches/quay-1/neighbours").json()["items"]
    assert (core["port"], core["name"], core["known_as"], core["far_port"]) == (
        "p24",
        "core-2",
        "core-2",
        "p1",
    )
    assert len(http.get(f"{V1}/switches/core-1/neighbours").json()["items"]) == 6
    assert http.get(f"{V1}/discovered-switches").json()["items"] == []


def test_a_switch_that_does_not_answer_is_reported_as_a_failed_reading(
    service: Service, http: httpx.Client
) -> None:
    new = NewSwitch(name="mute", host="127.0.0.1", port=9, access=Credential(community="x"), enabled=True)
    with service.client() as client:
        client.send(add_switch(new))
        await_health(client, "mute", "silent")
        one = client.send(switch("mute"))
        assert one.error is not None and "no answer to 3 tries" in one.error and one.read_at is None
        listed = http.get(f"{V1}/readings", params={"switch": "mute"}).json()["items"]
        assert listed[0]["outcome"] == "failed" and "nothing listens" in listed[0]["error"]
        client.send(remove_switch("mute"))


def test_the_live_stream_sends_a_reading(service: Service, http: httpx.Client) -> None:
    with service.client() as kite:
        events = kite.follow(events=["reading"], switch="quay-2", reconnect=False)
        assert next(events).event == "hello"
        http.post(f"{V1}/switches/quay-2/readings").raise_for_status()
        reported = next(events)
        assert isinstance(reported, ReadingEvent)
        assert (reported.switch, reported.outcome, reported.error) == (
            "quay-2",
            "complete",
            "",
        ) and reported.rows


def test_who_was_cut_off_goes_on_behind_the_last_event(service: Service, http: httpx.Client) -> None:
    with http.stream("GET", f"{V1}/stream", timeout=20) as stream:
        lines = stream.iter_lines()
        first = next(lines)
        assert first.startswith("id: ") and next(lines) == "event: hello"
    http.post(f"{V1}/switches/quay-2/readings").raise_for_status()
    last = {"Last-Event-ID": first.removeprefix("id: ")}
    with http.stream("GET", f"{V1}/stream?event=reading", timeout=20, headers=last) as stream:
        reported = [line for _, line in zip(range(6), stream.iter_lines(), strict=False)]
    assert reported[:2] == ["event: hello", 'data: {"event":"hello","resumed":true}']
    assert '"switch":"quay-2"' in reported[5] and reported[4] == "event: reading"
    behind = f"{V1}/stream?event=reading&after={first.removeprefix('id: ')}"
    with http.stream("GET", behind, timeout=20) as stream:
        assert [line for _, line in zip(range(6), stream.iter_lines(), strict=False)] == reported


async def _first_events(service: Service) -> list[str]:
    async with AsyncClient(service.url, service.token) as kite:
        found: list[str] = []
        async for event in kite.follow(events=["reading"]):
            found.append(event.event)
            if len(found) == 2:
                break
            await kite.send(read_now("quay-2"))
        names = [one.name async for one in kite.each(switches())]
        assert names == [one.name for one in await kite.all(switches())]
        exported = b"".join([piece async for piece in kite.download("/exports/switches.csv")])
        assert exported.count(b"\n") == len(names) + 1
    return found


def test_the_asynchronous_client_does_the_same(service: Service, lab: Lab) -> None:
    assert asyncio.run(_first_events(service)) == ["hello", "reading"]


def test_pages_are_served_safely_and_unknown_calls_are_problems(service: Service, http: httpx.Client) -> None:
    page = http.get("/switches/quay-1")
    assert page.status_code == 200 and '<div id="root">' in page.text
    assert "default-src 'self'" in page.headers["content-security-policy"]
    assert http.get("/..%2f..%2fapp.py").text == page.text, "nothing outside the build is served"
    assert http.get("/health/live").text == "live\n" and http.get("/health/ready").text == "ready\n"
    _problem(http.get("/api/v2/switches"), 404, "not_found")


def await_health(client: Client, name: str, health: str) -> None:
    wait_until(lambda: client.send(switch(name)).health == health, f"{name} to be {health}")


def test_figures_for_monitoring_count_what_happened(service: Service, http: httpx.Client) -> None:
    def figures() -> dict[tuple[str, str], float]:
        answer = http.get("/metrics")
        assert answer.status_code == 200 and answer.headers["content-type"].startswith("text/plain")
        families = text_string_to_metric_families(answer.text)
        samples = [sample for family in families for sample in family.samples]
        return {(one.name, "".join(one.labels.values())): one.value for one in samples}

    before = figures()
    with service.client() as client:
        read_again(client, "quay-1")
        known = client.send(health())
    after = figures()
    complete = ("kiteroll_readings_total", "complete")
    assert after[complete] >= before[complete] + 1
    assert after["kiteroll_reading_seconds_count", ""] > before["kiteroll_reading_seconds_count", ""]
    assert after["kiteroll_endpoints", ""] == known.endpoints > 0
    assert after["kiteroll_switches", "read"] >= 1 and after["kiteroll_database_up", ""] == 1
    wait_until(lambda: figures()["kiteroll_changes_total", "appeared"] > 0, "changes to be counted")
    assert 0 <= after["kiteroll_oldest_reading_seconds", ""] < 3600
    assert after["kiteroll_findings_open", "loopserious"] == 0, "a kind that has none stands at zero"
    assert after["kiteroll_switch_up", "quay-1"] == 1
    assert 0 <= after["kiteroll_switch_reading_age_seconds", "quay-1"] < 3600
    assert after["kiteroll_worker_failures_total", "poller"] == 0
    assert after["kiteroll_http_requests_total", "2xx"] > before["kiteroll_http_requests_total", "2xx"]
    assert after["kiteroll_http_request_duration_seconds_count", "read_now"] >= 1
    assert ("kiteroll_http_requests_total", "5xx") in before
    with service.http() as anybody:
        assert anybody.get("/metrics").status_code == 401


@pytest.mark.parametrize(
    "path",
    [
        *(
            "/findings?since={}",
            "/changes?since={}",
            "/changes?until={}",
            "/stays?at={}",
            "/search?q=1&at={}",
        ),
        *("/differences?since={}", "/exports/changes.csv?since={}", "/exports/stays.json?at={}"),
        *("/endpoints/02:1a:09:01:9e:4a?at={}", "/switches/quay-1/ports?at={}"),
    ],
)
@pytest.mark.parametrize(
    "instant", ["2026-05-04T12:00:00", "1777896000", "noon", "0001-01-01T00:00:00%2B14:00"]
)
def test_an_instant_without_a_zone_or_that_is_none_is_refused(
    http: httpx.Client, path: str, instant: str
) -> None:
    _problem(http.get(V1 + path.format(instant)), 422, "invalid")


def test_health_shows_each_worker(http: httpx.Client) -> None:
    known = http.get(f"{V1}/health").json()
    workers = {one["name"]: one for one in known["workers"]}
    assert {"poller", "findings", "topology", "name-index", "retention", "database"} <= set(workers)
    assert all(one["running"] and one["failures"] == 0 and one["error"] == "" for one in workers.values())
    assert known["database"] == "up" and known["switches"] >= 12


@pytest.mark.parametrize(
    ("file", "reported"),
    [
        ("vlans.csv?vlan=20", "vlan: the list vlans cannot be filtered by this; it takes none"),
        ("switches.csv?switch=quay-1", "switch: the list switches cannot be filtered by this"),
        ("changes.csv?ended=true&vlan=20", "ended, vlan: the list changes cannot be filtered by this"),
        ("differences.csv", "since: the list differences needs it"),
    ],
)
def test_an_export_refuses_filters_it_does_not_take(http: httpx.Client, file: str, reported: str) -> None:
    response = http.get(f"{V1}/exports/{file}")
    assert response.status_code == 422 and reported in response.json()["detail"]


def test_the_api_reports_what_core_decided(http: httpx.Client) -> None:
    """No client needs rules of its own: health and use of ports come with the answer."""
    for one in http.get(f"{V1}/switches").json()["items"]:
        assert one["healthy"] is (one["health"] == "read")
    ports = {one["name"]: one for one in http.get(f"{V1}/switches/ticket-hall/ports").json()["items"]}
    assert ports["p24"]["use"] == "uplink" and ports["p16"]["use"] == "in use"
    assert {one["use"] for one in ports.values()} <= {
        "uplink",
        "in use",
        "quiet",
        "silent",
        "shut",
        "down",
        "idle",
    }
