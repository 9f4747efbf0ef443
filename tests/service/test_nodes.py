"""A service that only answers, beside the one that tracks: same answers, changes passed on, same events."""

import signal
import ssl
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest

from kiteroll.app.serving.tracker_link import CLIENT_HEADER, EVENTS_PATH, NODE_HEADER
from kiteroll.client import (
    Client,
    add_switch,
    add_user,
    change_switch,
    endpoints,
    health,
    ports,
    read_now,
    search,
    set_label,
    switch,
)
from kiteroll.schemas.api import LabelText, NewUser, SwitchChange
from kiteroll.store.database import Database
from tests.support.harness import Lab, Service, add_lab_switches, wait_until
from tests.support.ports import free_tcp_port

V1 = "/api/v1"
_ONE = (
    *("/switches/quay-1", "/switches/quay-1/ports", "/switches/quay-1/ports/p1", "/search?q=02:1a"),
    *("/switches/quay-1/vlans", "/switches/quay-1/neighbours", "/endpoints?sort=-mac&limit=200"),
    *("/stays?switch=quay-1&uplinks=false&limit=1000", "/stays?vlan=20&limit=1000"),
    *("/exports/endpoints.csv", "/exports/switches.jsonl", "/switches/quay-1/report"),
)
"""Some calls that name something; those that need not are found in the document."""
_NODE_NAME = "node-2.tarn.example"
"""What the node is called, and the one that tracks is not."""


@pytest.fixture(scope="module")
def pair(
    module_database: Database, lab: Lab, tmp_path_factory: pytest.TempPathFactory
) -> Iterator[tuple[Service, Service]]:
    """The one that tracks, with the switches of the lab, and one that only answers."""
    data = tmp_path_factory.mktemp("pair")
    tracker = Service(data / "tracker", free_tcp_port(), environment=_named(module_database))
    tracker.start()
    node = _node_of(tracker, data / "node")
    node.start()
    add_lab_switches(tracker, lab)
    yield tracker, node
    for one in (node, tracker):
        assert one.end() == 0
        assert "Traceback" not in one.log, one.log


def _named(database: Database) -> dict[str, str]:
    return {"KITEROLL_DATABASE_URL": database.url.render_as_string(hide_password=False)}


def _node_of(tracker: Service, data: Path) -> Service:
    tracker.share_keys(data)
    named = {**tracker.environment, "KITEROLL_LISTEN_PUBLIC_URL": f"http://{_NODE_NAME}"}
    return Service(data, free_tcp_port(), environment=named, command="serve")


def _get(service: Service, path: str, **headers: str) -> httpx.Response:
    with service.http(service.token) as client:
        return client.get(path, headers=headers)


def _follows(node: Service, tracker: Service) -> bool:
    with node.client() as client:
        reported = client.send(health())
    return (
        reported.role == "answers" and reported.follows_since is not None and reported.tracker == tracker.url
    )


def _uplinks(client: Client, name: str) -> dict[str, list[str]]:
    return {one.name: one.leads_to for one in client.all(ports(name)) if one.role == "uplink"}


def test_every_answer_is_the_same_as_that_of_the_one_that_tracks(pair: tuple[Service, Service]) -> None:
    tracker, node = pair
    wait_until(lambda: _follows(node, tracker), "the node to follow")
    found = list(_ONE)
    for path, calls in _get(tracker, f"{V1}/openapi.json").json()["paths"].items():
        given = calls.get("get", {}).get("parameters", [])
        if "get" in calls and not any(one.get("required") for one in given):
            found.append(path.removeprefix(V1))
    # Their own state, an endless answer, and the last use of the token that asks.
    own = {"/health", "/stream", "/tokens"}
    assert len(found) > 60

    def answers(path: str) -> list[tuple[int, str, str | None]]:
        both = [_get(one, f"{V1}{path}") for one in (node, tracker)]
        return [(one.status_code, one.text, one.headers.get("etag")) for one in both]

    for path in found:
        if path not in own:
            # Both work out every few seconds what hangs together how.
            wait_until(lambda: len(set(answers(path))) == 1, f"the same answer to {path}")  # noqa: B023
            assert answers(path)[0][0] in (200, 302), path
    console = _get(node, "/")
    assert console.status_code == 200 and "<title>" in console.text


def test_a_change_is_passed_on_and_known_here_before_it_is_answered(
    pair: tuple[Service, Service], lab: Lab
) -> None:
    tracker, node = pair
    with node.client() as client:
        before = client.send(health()).switches
        new = lab.new_switch("quay-1").model_copy(update={"name": "quay-1-again", "enabled": False})
        client.send(add_switch(new))
        assert client.send(health()).switches == before + 1
        assert client.send(switch("quay-1-again")).name == "quay-1-again"
        assert [one.name for one in client.send(search("quay-1-ag")).switches] == ["quay-1-again"]
        client.send(set_label("02:1a:00:00:00:01", LabelText(label="Spare gate reader")))
        assert [one.label for one in client.send(search("spare gate")).never_seen] == ["Spare gate reader"]
        assert client.send(read_now("quay-1")).outcome == "complete"
        with node.http(node.token) as by_name:
            by_name.headers["Host"] = _NODE_NAME
            changed = by_name.patch(f"{V1}/switches/quay-1", json={"notes": "by a name of the node alone"})
            assert changed.status_code == 200, changed.text
            by_name.headers["Host"] = "elsewhere.example"
            assert by_name.patch(f"{V1}/switches/quay-1", json={"notes": ""}).status_code == 403
        roles = _uplinks(client, "quay-2")
        client.send(change_switch("quay-2", SwitchChange(name="quay-two")))
        assert _uplinks(client, "quay-two") == roles != {}, (
            "its uplinks are uplinks under the new name at once"
        )
        client.send(change_switch("quay-two", SwitchChange(name="quay-2")))
        password = "over the tarn by ferry"
        client.send(add_user(NewUser(name="ida", role="viewer", password=password)))
    here = httpx.HTTPTransport(local_address="127.0.0.2")
    with node.http(transport=here) as ida:
        signed_in = ida.post(f"{V1}/session", json={"name": "ida", "password": password})
        assert signed_in.status_code == 200
        assert ida.get(f"{V1}/session").json()["name"] == "ida"
        refused = ida.post(f"{V1}/rounds", json={})
        assert refused.status_code == 403, refused.text
    entries = _get(node, f"{V1}/audit-log?by=ida").json()["items"]
    assert {one["client"] for one in entries} == {"127.0.0.2"}, "whose address it is, is passed on too"
    with tracker.http(cookies=ida.cookies) as elsewhere:
        assert elsewhere.get(f"{V1}/session").json()["name"] == "ida"


def test_a_session_and_a_token_that_are_not_known_here_yet_are_asked_for_there(
    pair: tuple[Service, Service],
) -> None:
    node = pair[1]
    with node.http() as anybody:
        for headers in ({"Authorization": "Bearer nonsense"}, {"Cookie": "kiteroll_session=nonsense"}):
            answer = anybody.get(f"{V1}/switches", headers=headers)
            assert (answer.status_code, answer.json()["code"]) == (401, "not_signed_in")
        assert anybody.get(f"{V1}/switches").status_code == 401
        assert anybody.get(f"{V1}/session").json()["name"] == ""


def test_events_are_the_same_on_both(pair: tuple[Service, Service]) -> None:
    tracker, node = pair
    heard: dict[str, list[str]] = {}
    begun = threading.Barrier(3)

    def listen(one: Service) -> None:
        path = f"{V1}/stream?event=reading"
        with one.http(one.token) as client, client.stream("GET", path) as got:
            lines = got.iter_lines()
            next(line for line in lines if line.startswith("data:"))
            begun.wait()
            heard[one.url] = [next(line for line in lines if line.startswith("id:")) for _ in range(2)]

    threads = [threading.Thread(target=listen, args=(one,)) for one in pair]
    for one in threads:
        one.start()
    begun.wait(30)
    with node.client() as client:
        for name in ("quay-1", "quay-2"):
            client.send(read_now(name))
    for one in threads:
        one.join(30)
    assert heard[tracker.url] == heard[node.url] and len(heard[node.url]) == 2
    # Cut off from one, a listener goes on at the other.
    behind = {"Last-Event-ID": heard[tracker.url][0].removeprefix("id: ")}
    path = f"{V1}/stream?event=reading"
    with node.http(node.token) as listener, listener.stream("GET", path, headers=behind) as got:
        assert next(line for line in got.iter_lines() if line.startswith("id:")) == heard[node.url][1]


def test_only_services_with_the_same_key_are_heard(pair: tuple[Service, Service]) -> None:
    tracker, node = pair
    with tracker.http() as anybody:
        assert anybody.get(EVENTS_PATH).status_code == 404
    assert _get(tracker, EVENTS_PATH).status_code == 404, "no person, whatever their rights"
    forged = _get(tracker, f"{V1}/switches", **{NODE_HEADER: "0" * 64, CLIENT_HEADER: "192.0.2.1"})
    assert (forged.status_code, forged.json()["code"]) == (403, "foreign")
    with tracker.http() as anybody:
        odd = anybody.get(f"{V1}/switches", headers=[(NODE_HEADER.encode(), b"\xe9" * 64)])
        assert odd.status_code == 403
    # Without a proof, what it says of the client means nothing; nor does a node pass it on.
    for one in pair:
        body = {"name": "nobody", "password": "wrong"}
        said = {CLIENT_HEADER: "192.0.2.9"}
        with one.http() as anybody:
            assert anybody.post(f"{V1}/session", json=body, headers=said).status_code == 401
    clients = {one["client"] for one in _get(node, f"{V1}/audit-log?by=nobody").json()["items"]}
    assert clients == {"127.0.0.1"}


@pytest.fixture
def trio(database: Database, lab: Lab, tmp_path: Path) -> Iterator[tuple[Service, Service, Service]]:
    """One that tracks, one that stands by, and one that only answers."""
    standby = _named(database) | {"KITEROLL_DATABASE_STANDBY": "true"}
    first = Service(tmp_path / "first", free_tcp_port(), environment=standby)
    first.start()
    with first.client() as client:
        client.send(add_switch(lab.new_switch("quay-1")))
    second, node = _node_of(first, tmp_path / "second"), _node_of(first, tmp_path / "node")
    second.command = "up"
    second.start(wait=False)
    node.start()
    yield first, second, node
    for one in (node, second, first):
        if one.is_running:
            assert one.end() == 0
        assert "Traceback" not in one.log, one.log


def test_answers_go_on_while_another_service_takes_over(
    trio: tuple[Service, Service, Service], lab: Lab
) -> None:
    first, second, node = trio
    wait_until(lambda: _follows(node, first), "the node to follow")
    longest, failed, over = 0.0, list[str](), threading.Event()

    def ask() -> None:
        nonlocal longest
        # One try a call: whoever asks a node need not even try again.
        with Client(node.url, node.token, pauses_s=()) as client:
            while not over.is_set():
                began = time.monotonic()
                try:
                    assert client.send(switch("quay-1")).name == "quay-1"
                    assert client.all(ports("quay-1"))
                    client.send(endpoints(limit=5))
                except Exception as wrong:
                    failed.append(str(wrong))
                longest = max(longest, time.monotonic() - began)

    heard: list[bool] = []

    def listen() -> None:
        with node.client() as client:
            for event in client.follow():
                if event.event == "hello":
                    listens.set()
                if event.event == "following":
                    heard.append(event.heard)
                    if event.heard:
                        return

    listens = threading.Event()
    asking, listening = threading.Thread(target=ask), threading.Thread(target=listen)
    for thread in (asking, listening):
        thread.start()
    assert listens.wait(30)
    first.end(signal.SIGKILL)
    began = time.monotonic()
    with Client(node.url, node.token, pauses_s=()) as client:
        client.send(add_switch(lab.new_switch("quay-2")))
        print(f"a change was made {time.monotonic() - began:.1f} s after the service was killed")
        wait_until(lambda: _follows(node, second), "the node to follow the other one")
        assert client.send(switch("quay-2")).name == "quay-2"
        assert client.send(read_now("quay-2")).outcome == "complete"
        wait_until(lambda: client.send(switch("quay-2")).present, "its addresses to be known here")
    over.set()
    asking.join()
    listening.join(30)
    assert heard == [False, True], (
        "whoever watches is reported that nothing changes meanwhile, and that it does"
    )
    print(f"longest answer meanwhile: {longest:.2f} s")
    assert not failed, "nobody who only asked was refused"


def test_services_follow_each_other_over_tls(database: Database, tmp_path: Path) -> None:
    tls: dict[str, Any] = {"extra": ("--self-signed",), "environment": _named(database)}
    tracker = Service(tmp_path / "tracker", free_tcp_port(), **tls)
    tracker.ca_file = tracker.data / "certificate.pem"
    tracker.start()
    node = _node_of(tracker, tmp_path / "node")
    node.extra, node.ca_file = ("--self-signed",), node.data / "certificate.pem"
    node.start()
    with node.client() as client:
        wait_until(lambda: "certificate verify failed" in client.send(health()).follows_note, "doubt")
        assert node.end() == 0
    node.environment |= {"KITEROLL_NODE_CA_FILE": str(tracker.ca_file)}
    node.start()
    wait_until(lambda: _follows(node, tracker), "the node to follow")
    with httpx.Client(verify=ssl.create_default_context(cafile=str(node.ca_file))) as browser:
        opened = browser.post(f"{node.url}{V1}/session", json={"token": node.token})
    assert opened.status_code == 200 and "Secure" in opened.headers["set-cookie"]
    for one in (node, tracker):
        assert one.end() == 0
        assert "Traceback" not in one.log, one.log


def test_a_node_without_a_database_or_key_says_what_it_needs(tmp_path: Path, database: Database) -> None:
    for name, environment, needed in (
        ("none", {}, "database.url"),
        ("keyless", _named(database), "copy it from the service whose database it is"),
    ):
        node = Service(tmp_path / name, free_tcp_port(), environment=environment, command="serve")
        node.start(wait=False)
        assert node.process is not None
        assert node.process.wait(30) == 2
        assert needed in node.log
