"""Sends requests, synchronously and asynchronously. Both share every decision."""

import json
import time
from collections.abc import AsyncIterator, Iterator
from types import TracebackType
from typing import TYPE_CHECKING, Any, Self, TypeVar

import httpx
from pydantic import ValidationError

from kiteroll.client.errors import ServiceError, ServiceUnreachable
from kiteroll.client.request import ApiListRequest, ApiRequest
from kiteroll.core.errors import Invalid

if TYPE_CHECKING:
    import ssl

    from kiteroll.schemas.api import Problem

T = TypeVar("T")

PAUSES_S = (0.2, 1.0)
"""Pauses before each further try of a safe call."""
_CONNECT_S = 5.0
_DOWNLOAD_S = 120.0
_SILENCE_S = 60.0
"""The live stream sends a sign of life every few seconds."""
_AGAIN = frozenset({502, 503})


class Client:
    """Talks to one service. Raises ServiceError, or ServiceUnreachable after its tries."""

    def __init__(
        self, url: str, token: str, *, ca_file: str = "", transport: httpx.BaseTransport | None = None
    ) -> None:
        """`ca_file`: PEM file of the authorities to trust, or of the service's own certificate; empty: those
        of the system. `transport`: for tests, a function from request to response instead of a network."""
        self.url = url.rstrip("/")
        self._http = httpx.Client(**_options(self.url, token, ca_file), transport=transport)

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        self._http.close()

    def send(self, request: ApiRequest[T]) -> T:
        pauses = iter(PAUSES_S)
        while True:
            try:
                response = self._http.request(**_request(request))
                return _read(request, response)
            except (httpx.TransportError, ServiceError) as error:
                time.sleep(_pause(request, error, pauses, self.url))

    def each(self, request: ApiListRequest[T]) -> Iterator[T]:
        """Every row of a list, page after page, asked for as they are consumed."""
        while True:
            page = self.send(request)
            yield from page.items
            if page.next is None:
                return
            request = request.at(page.next)

    def all(self, request: ApiListRequest[T]) -> list[T]:
        """Every row of a list."""
        return list(self.each(request))

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
        """The live stream: (event, its data), until the service or the connection ends."""
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

    def __init__(
        self, url: str, token: str, *, ca_file: str = "", transport: httpx.AsyncBaseTransport | None = None
    ) -> None:
        self.url = url.rstrip("/")
        self._http = httpx.AsyncClient(**_options(self.url, token, ca_file), transport=transport)

    async def __aenter__(self) -> Self:
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        await self.close()

    async def close(self) -> None:
        await self._http.aclose()

    async def send(self, request: ApiRequest[T]) -> T:
        pauses = iter(PAUSES_S)
        while True:
            try:
                response = await self._http.request(**_request(request))
                return _read(request, response)
            except (httpx.TransportError, ServiceError) as error:
                import asyncio  # its loop runs already

                await asyncio.sleep(_pause(request, error, pauses, self.url))

    async def each(self, request: ApiListRequest[T]) -> AsyncIterator[T]:
        while True:
            page = await self.send(request)
            for item in page.items:
                yield item
            if page.next is None:
                return
            request = request.at(page.next)


def _options(url: str, token: str, ca_file: str) -> dict[str, Any]:
    return {
        "base_url": f"{url}/api/v1",
        "headers": {"Authorization": f"Bearer {token}", "Accept": "application/json"},
        # The service is on this machine or one hop away; a proxy for the web has no part in it.
        "trust_env": False,
        # Loading the certificate authorities takes a tenth of a second; without TLS they are not needed.
        "verify": not url.startswith("http://") and _context(ca_file),
    }


def _context(ca_file: str) -> "ssl.SSLContext":
    """Raises Invalid."""
    import ssl

    try:
        return ssl.create_default_context(cafile=ca_file or None)
    except OSError as wrong:
        raise Invalid(f"{ca_file}: the certificates to trust cannot be read: {wrong}") from wrong


def _request(request: ApiRequest[Any]) -> dict[str, Any]:
    return {
        "method": request.method,
        "url": request.path,
        "params": dict(request.params),
        "json": request.body,
        "timeout": httpx.Timeout(request.patience_s, connect=_CONNECT_S),
    }


def _read(request: ApiRequest[T], response: httpx.Response) -> T:
    if response.is_success:
        try:
            return request.answer.validate_json(response.content or b"null")
        except ValidationError as odd:
            raise ServiceError(_unexpected(response, f"its answer cannot be parsed: {odd}")) from odd
    raise _problem(response)


def _problem(response: httpx.Response) -> ServiceError:
    from kiteroll.schemas.api import Problem  # only when something went wrong

    try:
        return ServiceError(Problem.model_validate_json(response.content))
    except ValidationError:
        return ServiceError(_unexpected(response, "the answer is not from Kite Roll"))


def _unexpected(response: httpx.Response, why: str) -> "Problem":
    from kiteroll.schemas.api import Problem

    status = response.status_code
    return Problem(
        type="about:blank",
        title="Unexpected answer",
        status=status,
        code="unexpected_answer",
        detail=f"{response.request.method} {response.request.url} gave status {status}: {why}",
    )


def _pause(request: ApiRequest[Any], error: Exception, pauses: Iterator[float], url: str) -> float:
    """Seconds to wait before trying again; raises when there is no point, or no try left."""
    wait_s = None
    if isinstance(error, ServiceError):
        if request.safe and error.status in _AGAIN:
            wait_s = next(pauses, None)
        if wait_s is None:
            raise error
        return wait_s
    # A connection that never came about harms nothing, whatever the call.
    if request.safe or isinstance(error, httpx.ConnectError | httpx.ConnectTimeout):
        wait_s = next(pauses, None)
    if wait_s is None:
        raise ServiceUnreachable(url, str(error) or type(error).__name__) from error
    return wait_s
