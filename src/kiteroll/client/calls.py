"""Asking the questions, synchronously and asynchronously. Both share every decision."""

import asyncio
import json
import time
from collections.abc import AsyncIterator, Iterator
from types import TracebackType
from typing import Any, Self, TypeVar

import httpx
from pydantic import ValidationError

from kiteroll.client.errors import ServiceError, ServiceUnreachable
from kiteroll.client.question import ListQuestion, Question
from kiteroll.schemas.api import Problem

T = TypeVar("T")

PAUSES_S = (0.2, 1.0)
"""Waits before each further try of a safe call."""
_CONNECT_S = 5.0
_DOWNLOAD_S = 120.0
_SILENCE_S = 60.0
"""The live stream says every few seconds that it is alive."""
_AGAIN = frozenset({502, 503})


class Client:
    """Asks questions of one service. Raises ServiceError, or ServiceUnreachable after its tries."""

    def __init__(self, url: str, token: str, *, transport: httpx.BaseTransport | None = None) -> None:
        """`transport`: for tests, a function from request to response instead of a network."""
        self.url = url.rstrip("/")
        self._http = httpx.Client(**_options(self.url, token), transport=transport)

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        self._http.close()

    def ask(self, question: Question[T]) -> T:
        pauses = iter(PAUSES_S)
        while True:
            try:
                response = self._http.request(**_request(question))
                return _read(question, response)
            except (httpx.TransportError, ServiceError) as error:
                time.sleep(_pause(question, error, pauses, self.url))

    def each(self, question: ListQuestion[T]) -> Iterator[T]:
        """Every row of a list, page after page, asked for as they are consumed."""
        while True:
            page = self.ask(question)
            yield from page.items
            if page.next is None:
                return
            question = question.at(page.next)

    def download(self, path: str, **params: Any) -> Iterator[bytes]:
        """The pieces of a file (exports, reports), as they come. `path` is below /api/v1."""
        given = {name: value for name, value in params.items() if value is not None}
        timeout = httpx.Timeout(_DOWNLOAD_S, connect=_CONNECT_S)
        try:
            with self._http.stream("GET", path, params=given, timeout=timeout) as response:
                if not response.is_success:
                    response.read()
                    raise _problem(response)
                yield from response.iter_bytes()
        except httpx.TransportError as error:
            raise ServiceUnreachable(self.url, str(error) or type(error).__name__) from error

    def follow(self) -> Iterator[tuple[str, Any]]:
        """The live stream: (event, what it says), until the service or the connection ends."""
        timeout = httpx.Timeout(_SILENCE_S, connect=_CONNECT_S)
        try:
            with self._http.stream("GET", "/stream", timeout=timeout) as response:
                if not response.is_success:
                    response.read()
                    raise _problem(response)
                event = ""
                for line in response.iter_lines():
                    if line.startswith("event: "):
                        event = line.removeprefix("event: ")
                    elif line.startswith("data: "):
                        yield event, json.loads(line.removeprefix("data: "))
        except httpx.TransportError as error:
            raise ServiceUnreachable(self.url, str(error) or type(error).__name__) from error


class AsyncClient:
    """The same, to be awaited."""

    def __init__(self, url: str, token: str, *, transport: httpx.AsyncBaseTransport | None = None) -> None:
        self.url = url.rstrip("/")
        self._http = httpx.AsyncClient(**_options(self.url, token), transport=transport)

    async def __aenter__(self) -> Self:
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        await self.close()

    async def close(self) -> None:
        await self._http.aclose()

    async def ask(self, question: Question[T]) -> T:
        pauses = iter(PAUSES_S)
        while True:
            try:
                response = await self._http.request(**_request(question))
                return _read(question, response)
            except (httpx.TransportError, ServiceError) as error:
                await asyncio.sleep(_pause(question, error, pauses, self.url))

    async def each(self, question: ListQuestion[T]) -> AsyncIterator[T]:
        while True:
            page = await self.ask(question)
            for item in page.items:
                yield item
            if page.next is None:
                return
            question = question.at(page.next)


def _options(url: str, token: str) -> dict[str, Any]:
    return {
        "base_url": f"{url}/api/v1",
        "headers": {"Authorization": f"Bearer {token}", "Accept": "application/json"},
        # The service is on this machine or one hop away; a proxy for the web has no part in it.
        "trust_env": False,
    }


def _request(question: Question[Any]) -> dict[str, Any]:
    return {
        "method": question.method,
        "url": question.path,
        "params": dict(question.params),
        "json": question.body,
        "timeout": httpx.Timeout(question.patience_s, connect=_CONNECT_S),
    }


def _read(question: Question[T], response: httpx.Response) -> T:
    if response.is_success:
        try:
            return question.answer.validate_json(response.content or b"null")
        except ValidationError as odd:
            raise ServiceError(_odd(response, f"its answer is not understood: {odd}")) from odd
    raise _problem(response)


def _problem(response: httpx.Response) -> ServiceError:
    try:
        return ServiceError(Problem.model_validate_json(response.content))
    except ValidationError:
        return ServiceError(_odd(response, "something else than Kite Roll answered"))


def _odd(response: httpx.Response, why: str) -> Problem:
    status = response.status_code
    return Problem(
        type="about:blank",
        title="Odd answer",
        status=status,
        code="odd_answer",
        detail=f"{response.request.method} {response.request.url} gave status {status}: {why}",
    )


def _pause(question: Question[Any], error: Exception, pauses: Iterator[float], url: str) -> float:
    """Seconds to wait before trying again; raises when there is no point, or no try left."""
    wait_s = None
    if isinstance(error, ServiceError):
        if question.safe and error.status in _AGAIN:
            wait_s = next(pauses, None)
        if wait_s is None:
            raise error
        return wait_s
    # A connection that never came about harms nothing, whatever the call.
    if question.safe or isinstance(error, httpx.ConnectError | httpx.ConnectTimeout):
        wait_s = next(pauses, None)
    if wait_s is None:
        raise ServiceUnreachable(url, str(error) or type(error).__name__) from error
    return wait_s
