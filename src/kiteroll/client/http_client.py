"""Sends requests, synchronously and asynchronously. Both share every decision."""

import time
from collections.abc import AsyncIterator, Iterator, Sequence
from types import TracebackType
from typing import TYPE_CHECKING, Any, Self, TypeVar

import httpx
from pydantic import ValidationError

from kiteroll import __version__
from kiteroll.client.errors import ServiceError, ServiceUnreachable
from kiteroll.client.request import ApiListRequest, ApiRequest
from kiteroll.client.service_urls import ServiceUrls
from kiteroll.core.errors import Invalid
from kiteroll.model_errors import BAD_JSON, where_and_what

if TYPE_CHECKING:
    import ssl

    from kiteroll.client.stream import StreamReader
    from kiteroll.schemas.api import Problem
    from kiteroll.schemas.stream import EventName, StreamEvent

T = TypeVar("T")

_CONNECT_S = 5.0
_DOWNLOAD_S = 120.0
_SILENCE_S = 60.0
"""The live stream sends a sign of life every few seconds."""
_AGAIN = frozenset({502, 503})
_MOST_FAILURES = 7
"""Connections in a row: about a minute."""


class Client:
    """Talks to one service. Raises ServiceError, or ServiceUnreachable after its tries."""

    def __init__(
        self,
        url: str,
        token: str,
        *,
        ca_file: str = "",
        proxy: str | None = None,
        pauses_s: Sequence[float] | None = None,
        transport: httpx.BaseTransport | None = None,
    ) -> None:
        """`url`: several with commas between, where one service stands by for another. `ca_file`: PEM file of
        the authorities to trust, or of the service's own certificate; empty: those of the system. `proxy`:
        URL of one to go through; none unless given, whatever the environment says. `pauses_s`: before each
        further try of a call that may be repeated; empty: one try; None: as usual. `transport`: for tests, a
        function from request to response instead of a network."""
        self._urls = ServiceUrls(url)
        self._pauses_s = self._urls.pauses_s if pauses_s is None else tuple(pauses_s)
        self._http = httpx.Client(**_options(self._urls, token, ca_file, proxy), transport=transport)

    @property
    def url(self) -> str:
        """Of the service that is asked."""
        return self._urls.current

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        self._http.close()

    def send(self, request: ApiRequest[T]) -> T:
        pauses = iter(self._pauses_s)
        while True:
            try:
                response = self._http.request(**_request(request))
                return _read(request, response)
            except (httpx.TransportError, ServiceError) as error:
                time.sleep(_pause(request, error, pauses, self.url))
                self._urls.turn(self._http)

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
        try:
            with self._http.stream("GET", path, **_of_download(params)) as response:
                if not response.is_success:
                    response.read()
                    raise _problem(response)
                yield from response.iter_bytes()
        except httpx.TransportError as error:
            raise ServiceUnreachable(self.url, str(error) or type(error).__name__) from error

    def follow(
        self,
        *,
        events: Sequence["EventName"] = (),
        switch: str | None = None,
        uplinks: bool = True,
        reconnect: bool = True,
    ) -> Iterator["StreamEvent"]:
        """The live stream. A connection that is lost is made again and goes on behind the last event;
        `reconnect=False`: it ends. Raises ServiceUnreachable after a minute of trying, ServiceError."""
        reader = _stream_reader(events, switch, uplinks)
        while True:
            try:
                with self._http.stream("GET", "/stream", **_of_stream(reader)) as response:
                    if not response.is_success:
                        response.read()
                        raise _problem(response)
                    for line in response.iter_lines():
                        yield from reader.feed(line)
            except (httpx.TransportError, ServiceError) as error:
                _check_again(error, reader, self.url, reconnect=reconnect)
                self._urls.turn(self._http)
            if not reconnect:
                return
            time.sleep(reader.pause_s())


class AsyncClient:
    """The same, to be awaited."""

    def __init__(
        self,
        url: str,
        token: str,
        *,
        ca_file: str = "",
        proxy: str | None = None,
        pauses_s: Sequence[float] | None = None,
        transport: httpx.AsyncBaseTransport | None = None,
    ) -> None:
        self._urls = ServiceUrls(url)
        self._pauses_s = self._urls.pauses_s if pauses_s is None else tuple(pauses_s)
        self._http = httpx.AsyncClient(**_options(self._urls, token, ca_file, proxy), transport=transport)

    @property
    def url(self) -> str:
        return self._urls.current

    async def __aenter__(self) -> Self:
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        await self.close()

    async def close(self) -> None:
        await self._http.aclose()

    async def send(self, request: ApiRequest[T]) -> T:
        pauses = iter(self._pauses_s)
        while True:
            try:
                response = await self._http.request(**_request(request))
                return _read(request, response)
            except (httpx.TransportError, ServiceError) as error:
                import asyncio  # its loop runs already

                await asyncio.sleep(_pause(request, error, pauses, self.url))
                self._urls.turn(self._http)

    async def all(self, request: ApiListRequest[T]) -> list[T]:
        return [one async for one in self.each(request)]

    async def download(self, path: str, **params: Any) -> AsyncIterator[bytes]:
        try:
            async with self._http.stream("GET", path, **_of_download(params)) as response:
                if not response.is_success:
                    await response.aread()
                    raise _problem(response)
                async for piece in response.aiter_bytes():
                    yield piece
        except httpx.TransportError as error:
            raise ServiceUnreachable(self.url, str(error) or type(error).__name__) from error

    async def follow(
        self,
        *,
        events: Sequence["EventName"] = (),
        switch: str | None = None,
        uplinks: bool = True,
        reconnect: bool = True,
    ) -> AsyncIterator["StreamEvent"]:
        import asyncio

        reader = _stream_reader(events, switch, uplinks)
        while True:
            try:
                async with self._http.stream("GET", "/stream", **_of_stream(reader)) as response:
                    if not response.is_success:
                        await response.aread()
                        raise _problem(response)
                    async for line in response.aiter_lines():
                        for event in reader.feed(line):
                            yield event
            except (httpx.TransportError, ServiceError) as error:
                _check_again(error, reader, self.url, reconnect=reconnect)
                self._urls.turn(self._http)
            if not reconnect:
                return
            await asyncio.sleep(reader.pause_s())

    async def each(self, request: ApiListRequest[T]) -> AsyncIterator[T]:
        while True:
            page = await self.send(request)
            for item in page.items:
                yield item
            if page.next is None:
                return
            request = request.at(page.next)


def _options(urls: ServiceUrls, token: str, ca_file: str, proxy: str | None) -> dict[str, Any]:
    return {
        "base_url": urls.api,
        "headers": {"Authorization": f"Bearer {token}", "Accept": "application/json"},
        # The service is on this machine or one hop away; a proxy for the web has no part in it.
        "trust_env": False,
        "proxy": proxy,
        # Loading the certificate authorities takes a tenth of a second; without TLS they are not needed.
        "verify": urls.tls and _context(ca_file),
    }


def _context(ca_file: str) -> "ssl.SSLContext":
    """Raises Invalid."""
    import ssl

    try:
        return ssl.create_default_context(cafile=ca_file or None)
    except OSError as wrong:
        raise Invalid(f"{ca_file}: the certificates to trust cannot be read: {wrong}") from wrong


def _of_download(params: dict[str, Any]) -> dict[str, Any]:
    given = {name: value for name, value in params.items() if value is not None}
    return {"params": given, "timeout": httpx.Timeout(_DOWNLOAD_S, connect=_CONNECT_S)}


def _stream_reader(events: Sequence["EventName"], switch: str | None, uplinks: bool) -> "StreamReader":
    from kiteroll.client.stream import StreamReader  # only for those who listen

    given: dict[str, Any] = {"event": list(events), "switch": switch, "uplinks": uplinks}
    return StreamReader({name: value for name, value in given.items() if value not in (None, [], True)})


def _of_stream(reader: "StreamReader") -> dict[str, Any]:
    timeout = httpx.Timeout(_SILENCE_S, connect=_CONNECT_S)
    return {"params": reader.params, "headers": reader.headers(), "timeout": timeout}


def _check_again(error: Exception, reader: "StreamReader", url: str, *, reconnect: bool) -> None:
    """Raises where there is no point in connecting again."""
    if isinstance(error, ServiceError):
        if not reconnect or error.status not in _AGAIN:
            raise error
    elif not reconnect or reader.failures >= _MOST_FAILURES:
        raise ServiceUnreachable(url, str(error) or type(error).__name__) from error


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
            raise ServiceError(_unexpected(response, _unparsed(odd))) from odd
    raise _problem(response)


def _problem(response: httpx.Response) -> ServiceError:
    from kiteroll.schemas.api import Problem  # only when something went wrong

    try:
        return ServiceError(Problem.model_validate_json(response.content))
    except ValidationError:
        return ServiceError(_unexpected(response, "the answer is not from Kite Roll"))


def _unparsed(odd: ValidationError) -> str:
    """Why an answer cannot be parsed: mostly because one of the two lacks what the other one has."""
    first, *others = odd.errors(include_url=False, include_input=False)
    if first["type"] == BAD_JSON:
        return "the answer is not from Kite Roll"
    where, what = where_and_what(first)
    more = f" (and {len(others)} more)" if others else ""
    return (
        f"its answer cannot be parsed: {where or 'it'} {what}{more}; "
        f"are the service and this client ({__version__}) of one version?"
    )


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
