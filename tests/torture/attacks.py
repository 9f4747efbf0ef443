"""What is sent at the service: files, requests and notifications that are wrong in every way. Seeded."""

import contextlib
import json
import os
import random
import socket
import time
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from urllib.parse import quote

import httpx

from tests.torture.company import document

_ODD: tuple[Any, ...] = (
    *(None, True, -1, 0, 1e300, 2**70, "", "x" * 5000, "\u00b2", "\u0000", "\ud800", "=1+1"),
    *([], {}, [[[]]]),
    *("0001-01-01T00:00:00+14:00", "9999-12-31T23:59:59-14:00", "02:1a", "ff" * 6, 4095, 70_000),
    *({"a": {"b": {}}}, "../../etc/passwd", "'; DROP TABLE stay; --", "%00", "NaN", "1e999"),
)
_PATHS = (
    *("/switches", "/switches/{}", "/switches/{}/ports", "/switches/{}/ports/{}", "/switches/{}/readings"),
    *(
        "/endpoints",
        "/endpoints/{}",
        "/endpoints/{}/path",
        "/endpoints/{}/ips",
        "/endpoints/{}/quiet-times",
        "/endpoints/{}/reading-pauses",
        "/endpoints/{}/homes",
    ),
    *("/stays", "/changes", "/differences", "/readings", "/findings", "/findings/{}", "/findings/{}/parts"),
    *("/finding-kinds/{}", "/search", "/vlans", "/vlans/{}/ports", "/makers", "/shared-addresses", "/rounds"),
    *(
        "/rounds/{}",
        "/credentials",
        "/credentials/{}",
        "/rules",
        "/exports/{}",
        "/mappings/{}",
        "/mac-tables",
    ),
    *(
        "/session",
        "/health",
        "/sites",
        "/sites/{}",
        "/groups",
        "/groups/{}",
        "/map",
        "/nowhere",
        "/reports/{}",
    ),
)
_PARAMETERS = (
    *("cursor", "limit", "at", "since", "until", "switch", "port", "vlan", "mac", "q", "kind", "state"),
    *("ended", "uplinks", "parts", "group", "format", "days", "start"),
)
_PUT_AWAY = ("imported", "refused")
_CURSORS = ("W10", "WyJ4Il0", "WzFlOTk5XQ", "W3sidCI6IjIwMjYifSwgMV0", "W251bGwsbnVsbF0", "!", "W1tbW10")


@dataclass
class Reported:
    """What became of the attacks of one kind."""

    attacks: int = 0
    reported: int = 0
    """Answered with a reason, or kept with one."""
    silent: int = 0
    """Neither done nor reported."""


class HostileFiles:
    """Puts wrong files into the import folder; each must come to rest beside a reason, or as imported."""

    def __init__(self, folder: Path, rng: random.Random) -> None:
        self._folder, self._rng = folder, rng
        self._put = 0

    def put(self, count: int) -> None:
        for _ in range(count):
            self._put += 1
            name = f"hostile-{self._put:04d}"
            kind = self._rng.choice(("json", "json", "json", "jsonl", "csv", "link", "pipe", "octets"))
            if kind == "link":
                (self._folder / f"{name}.json").symlink_to("/etc/passwd")
            elif kind == "pipe":
                os.mkfifo(self._folder / f"{name}.json")
            elif kind == "octets":
                (self._folder / f"{name}.json").write_bytes(self._rng.randbytes(3000))
            elif kind == "csv":
                (self._folder / "odd").mkdir(exist_ok=True)
                (self._folder / "odd" / f"{name}.csv").write_text("mac,port\n\u00b2,\u0663\n")
            else:
                (self._folder / f"{name}.{kind}").write_text(self._text(), errors="surrogatepass")

    def waiting(self) -> list[Path]:
        return [
            one for one in self._folder.rglob("hostile-*") if one.parent.name not in ("imported", "refused")
        ]

    def result(self) -> Reported:
        put_away = [
            one for one in self._folder.rglob("hostile-*") if one.parent.name in ("imported", "refused")
        ]
        reasons = [one for one in put_away if one.name.endswith(".reason.txt") and one.stat().st_size > 10]
        imported = [one for one in put_away if one.parent.name == "imported"]
        reported = len(reasons) + len(imported)
        return Reported(self._put, reported, self._put - reported)

    def _text(self) -> str:
        rng = self._rng
        if rng.random() < 0.1:
            return rng.choice(("[" * 100_000, '{"a":' * 50_000, "", "null", "1" * 10_000, '"' + "x" * 10**6))
        content = document(datetime.now(UTC), 1).model_dump(mode="json")
        for _ in range(rng.choice((1, 2, 5))):
            _spoil(content, rng)
        text = json.dumps(content)
        return text[: rng.randrange(len(text))] if rng.random() < 0.1 else text


def _spoil(content: Any, rng: random.Random) -> None:
    """Something in it becomes something else."""
    while True:
        keys = list(content) if isinstance(content, dict) else list(range(len(content)))
        if not keys:
            return
        key = rng.choice(keys)
        if isinstance(content[key], dict | list) and content[key] and rng.random() < 0.7:
            content = content[key]
            continue
        content[key] = rng.choice(_ODD)
        return


class HostileRequests:
    """Calls with a token and without, odd in path, parameters and body; and raw octets on the socket."""

    def __init__(self, url: str, token: str, rng: random.Random) -> None:
        self._url, self._token, self._rng = url, token, rng
        self.result = Reported()
        self.faults: list[str] = []
        """Answers of 500: bugs."""

    def send(self, count: int) -> None:
        with httpx.Client(timeout=40, trust_env=False) as http:
            for _ in range(count):
                self.result.attacks += 1
                if self._rng.random() < 0.15:
                    self._raw()
                else:
                    self._call(http)

    def _call(self, http: httpx.Client) -> None:
        rng = self._rng
        method = rng.choice(("GET", "GET", "GET", "POST", "PUT", "PATCH", "DELETE", "OPTIONS", "TRACE"))
        path = rng.choice(_PATHS)
        while "{}" in path:
            path = path.replace("{}", quote(self._word(), safe=".%") or "-", 1)
        headers = {"Authorization": f"Bearer {self._token}"}
        if rng.random() < 0.05:
            headers["Origin"] = "https://evil.example"
        parameters = {rng.choice(_PARAMETERS): self._word() for _ in range(rng.choice((0, 1, 1, 3)))}
        content = None
        if method in ("POST", "PUT", "PATCH"):
            content = rng.choice((self._body, lambda: b"x" * rng.choice((10, 2 << 20, 20 << 20))))()
            headers["Content-Type"] = rng.choice(
                ("application/json", "text/plain", "", "multipart/form-data")
            )
        try:
            request = http.build_request(
                method, f"{self._url}/api/v1{path}", params=parameters, headers=headers, content=content
            )
            answer = http.send(request)
        except (httpx.TransportError, httpx.InvalidURL, UnicodeEncodeError, ValueError):
            self.result.reported += 1  # the connection was ended, or what was to be sent is no HTTP at all
            return
        if answer.status_code >= 500 and answer.status_code != 503:
            self.faults.append(f"{method} {path} {parameters}: {answer.status_code} {answer.text[:200]}")
            self.result.silent += 1
        else:
            self.result.reported += 1

    def _word(self) -> str:
        word = self._rng.choice((*_ODD, *_CURSORS, *_CURSORS, "quay-1", "p1", "1"))
        text = word if isinstance(word, str) else json.dumps(word)
        return text.encode(errors="replace").decode()

    def _body(self) -> bytes:
        rng = self._rng
        names = (
            "name",
            "host",
            "port",
            "address",
            "access",
            "community",
            "switch",
            "label",
            "seats",
            "until",
        )
        odd: Any = {name: rng.choice(_ODD) for name in rng.sample(names, 4)}
        if rng.random() < 0.3:
            odd = [document(datetime.now(UTC), 1, "nowhere").model_dump(mode="json")]
            _spoil(odd[0], rng)
        if rng.random() < 0.1:
            return b"[" * rng.choice((10, 100_000))
        return json.dumps(odd).encode(errors="replace")

    def _raw(self) -> None:
        """Reported when the service ends the connection or answers; half-sent requests are left to it."""
        rng = self._rng
        head = f"GET /api/v1/health HTTP/1.1\r\nHost: 127.0.0.1\r\nAuthorization: Bearer {self._token}\r\n"
        octets = rng.choice(
            (
                rng.randbytes(2000),
                b"GET " + b"/" * 70_000,
                b"\r\n" * 5000,
                head.encode() + b"X: " + b"y" * 100_000 + b"\r\n\r\n",
                head.encode() + b"Transfer-Encoding: chunked\r\n\r\nffffffffffffffff\r\n",
                b"POST /api/v1/session HTTP/1.1\r\nHost: x\r\nContent-Length: -5\r\n\r\n{}",
                b"PRI * HTTP/2.0\r\n\r\nSM\r\n\r\n",
                head.encode(),
            )
        )
        with contextlib.suppress(OSError):
            port = httpx.URL(self._url).port or 80
            with socket.create_connection(("127.0.0.1", port), 5) as wire:
                wire.sendall(octets)
                wire.settimeout(0.1)
                with contextlib.suppress(TimeoutError):
                    wire.recv(100)
        self.result.reported += 1


def flood(port: int, seconds: float, rng: random.Random, trap: bytes) -> int:
    """Notifications as fast as they go; returns how many."""
    sent = 0
    until = time.monotonic() + seconds
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sock:
        while time.monotonic() < until:
            for data in _datagrams(trap, rng):
                with contextlib.suppress(OSError):
                    sock.sendto(data, ("127.0.0.1", port))
                    sent += 1
    return sent


def _datagrams(trap: bytes, rng: random.Random) -> Iterator[bytes]:
    for _ in range(100):
        yield trap
    spoilt = bytearray(trap)
    spoilt[rng.randrange(len(spoilt))] ^= 1 << rng.randrange(8)
    yield bytes(spoilt)
    yield rng.randbytes(rng.choice((0, 10, 1400)))
