"""What is refused before it is worked on: over a real socket, in front of an application that counts."""

import json
import socket
import threading
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass, field
from typing import Any, cast

import httpx
import pytest
import uvicorn

from kiteroll.api import request_gate, timed_http
from kiteroll.api.admission import COOKIE
from kiteroll.api.request_gate import RequestGate
from kiteroll.app.access.sign_in import NotSignedIn, SignIn
from tests.support.harness import wait_until
from tests.support.ports import free_tcp_port


@dataclass
class Inside:
    """An application behind the gate: it answers with how many octets the body had."""

    calls: list[int] = field(default_factory=list)

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        size, more = 0, True
        while more:
            message = await receive()
            size += len(message.get("body", b""))
            more = message.get("more_body", False)
        self.calls.append(size)
        await send({"type": "http.response.start", "status": 200, "headers": []})
        await send({"type": "http.response.body", "body": json.dumps(size).encode()})


TOKEN = "the one that is known here"


class KnowsOneToken:
    """Stands for `kiteroll.app.access.sign_in.SignIn`."""

    def check(self, authorization: str | None, session: str | None, client: str) -> str:
        if authorization != f"Bearer {TOKEN}" and session != TOKEN:
            raise NotSignedIn("unknown")
        return "mara"


@dataclass
class Gate:
    url: str
    inside: Inside
    port: int

    def call(self, method: str = "POST", path: str = "/api/v1/labels", **options: Any) -> httpx.Response:
        headers = {"Authorization": f"Bearer {TOKEN}"}
        headers |= options.pop("headers", {})
        return httpx.request(method, f"{self.url}{path}", headers=headers, timeout=20, **options)


@pytest.fixture
def gate(monkeypatch: pytest.MonkeyPatch) -> Iterator[Gate]:
    monkeypatch.setattr(request_gate, "CHUNK_S", 0.3)
    monkeypatch.setattr(timed_http, "HEAD_S", 0.3)
    inside, port, known = Inside(), free_tcp_port(), cast(SignIn, KnowsOneToken())
    options = uvicorn.Config(
        RequestGate(inside, known, ["kite.tarn.example"], lambda proof: False, str),
        port=port,
        http=timed_http.TimedHttp,
        lifespan="off",
    )
    server = uvicorn.Server(options)
    thread = threading.Thread(target=server.run)
    thread.start()
    wait_until(lambda: server.started, "the server to listen")
    yield Gate(f"http://127.0.0.1:{port}", inside, port)
    server.should_exit = True
    thread.join(20)


def test_a_call_passes_and_its_answer_is_guarded(gate: Gate) -> None:
    answer = gate.call(content=b"x" * 1000)
    assert (answer.status_code, answer.json()) == (200, 1000)
    for name, value in (
        ("x-content-type-options", "nosniff"),
        ("cache-control", "no-store"),
        ("x-frame-options", "DENY"),
        ("content-security-policy", "default-src 'none'; frame-ancestors 'none'"),
    ):
        assert answer.headers[name] == value


def _endless() -> Iterator[bytes]:
    while True:
        yield b"x" * 65536


def test_a_body_of_whoever_may_not_call_is_not_read(gate: Gate) -> None:
    """The answer comes although the body never ends."""
    with suppress(httpx.TransportError):  # cut off while it was still sending
        assert gate.call(content=_endless(), headers={"Authorization": "Bearer wrong"}).status_code == 401
    with socket.create_connection(("127.0.0.1", gate.port), 10) as wire:
        wire.sendall(b"POST /api/v1/labels HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 300000000\r\n\r\n")
        assert wire.recv(100).startswith(b"HTTP/1.1 401")
    assert gate.inside.calls == []


@pytest.mark.parametrize(
    ("path", "most"),
    [("/api/v1/labels", request_gate.MAX_BODY), ("/api/v1/readings", request_gate.MAX_IMPORT)],
)
def test_a_body_is_cut_off_at_its_limit_said_or_not(gate: Gate, path: str, most: int) -> None:
    assert gate.call(path=path, content=bytes(most)).json() == most
    for content in (bytes(most + 1), iter([bytes(most), b"1"])):
        with suppress(httpx.TransportError):  # cut off while it was still sending
            assert gate.call(path=path, content=content).status_code == 413
    assert gate.inside.calls == [most]


def test_a_request_that_is_never_sent_whole_ends(gate: Gate) -> None:
    head = f"POST /api/v1/labels HTTP/1.1\r\nHost: 127.0.0.1\r\nAuthorization: Bearer {TOKEN}\r\n"
    for half, reported in (
        (b"", b""),
        (b"GET /health/live HTT", b""),
        (head.encode(), b""),
        (f"{head}Content-Length: 100\r\n\r\nabc".encode(), b"HTTP/1.1 408"),
    ):
        with socket.create_connection(("127.0.0.1", gate.port), 10) as wire:
            wire.sendall(half)
            assert wire.recv(12) == reported
    assert gate.inside.calls == []


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({"Host": "evil.example"}, 403),
        ({"Host": "127.0.0.1.evil.example:80"}, 403),
        ({"Host": ""}, 403),
        ({"Host": "Kite.Tarn.example:8480"}, 200),
        ({"Host": "[::1]:8480"}, 200),
        ({"Host": "localhost"}, 200),
        ({"Origin": "https://evil.example"}, 403),
        ({"Origin": "null"}, 403),
        ({"Host": "kite.tarn.example", "Origin": "https://kite.tarn.example"}, 200),
    ],
)
def test_only_our_own_host_and_pages_may_call(gate: Gate, headers: dict[str, str], status: int) -> None:
    assert gate.call(headers=headers).status_code == status


def test_the_cookie_is_read_among_others(gate: Gate) -> None:
    answer = httpx.get(f"{gate.url}/api/v1/labels", headers={"Cookie": f"theme=dark; {COOKIE}={TOKEN}"})
    assert answer.status_code == 200
