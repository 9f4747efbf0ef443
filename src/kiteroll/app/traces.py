"""Traces of calls and readings, sent by OTLP over HTTP to a collector (OpenTelemetry).

Without `traces.endpoint` nothing of it is loaded. What cannot be sent is dropped: the service
never waits for it.
"""

from collections.abc import Awaitable, Callable, Iterator, Mapping
from contextlib import AbstractContextManager, contextmanager, nullcontext
from datetime import datetime
from typing import TYPE_CHECKING, Any, Protocol, TypeVar

from kiteroll import __version__
from kiteroll.collect.poller import PollResult
from kiteroll.core.errors import ConfigError, KiteRollError

if TYPE_CHECKING:
    from opentelemetry.trace import Tracer

T = TypeVar("T")
Answered = Callable[[str, int], None]
"""Called with the operation that a call was, and the status of its answer."""
_WAITING = 2048
"""Spans that wait to be sent; more are dropped."""
_STOP_MS = 2000


class Traces(Protocol):
    def call(self, headers: Mapping[str, str], method: str) -> AbstractContextManager[Answered]:
        """Around one HTTP request. `headers`: may name the trace it belongs to (W3C Trace Context)."""
        ...

    def reading(self, store: Callable[[PollResult], Awaitable[T]]) -> Callable[[PollResult], Awaitable[T]]:
        """`store`, with a span of each reading: how long collecting and storing it took."""
        ...

    def close(self) -> None: ...


class NoTraces:
    def call(self, headers: Mapping[str, str], method: str) -> AbstractContextManager[Answered]:
        return nullcontext(lambda operation, status: None)

    def reading(self, store: Callable[[PollResult], Awaitable[T]]) -> Callable[[PollResult], Awaitable[T]]:
        return store

    def close(self) -> None:
        return


class OtlpTraces:
    def __init__(self, endpoint: str, headers: Mapping[str, str], share: float) -> None:
        """`endpoint`: URL of a collector's traces; `share`: of traces that begin here, how many are kept,
        0..1. Raises ConfigError where the libraries are not installed."""
        try:
            from opentelemetry import trace
            from opentelemetry.exporter.otlp.proto.http.trace_exporter import OTLPSpanExporter
            from opentelemetry.sdk.resources import Resource
            from opentelemetry.sdk.trace import TracerProvider
            from opentelemetry.sdk.trace.export import BatchSpanProcessor
            from opentelemetry.sdk.trace.sampling import ParentBased, TraceIdRatioBased
            from opentelemetry.trace.propagation.tracecontext import TraceContextTextMapPropagator
        except ImportError as missing:
            raise ConfigError(
                "traces.endpoint",
                (
                    f"traces need libraries that are not installed ({missing.name}): "
                    "install kiteroll[traces], or take the setting out",
                ),
            ) from missing
        exporter = OTLPSpanExporter(endpoint=endpoint, headers=dict(headers), timeout=5)
        about = Resource.create({"service.name": "kiteroll", "service.version": __version__})
        self._provider = TracerProvider(resource=about, sampler=ParentBased(TraceIdRatioBased(share)))
        self._provider.add_span_processor(BatchSpanProcessor(exporter, max_queue_size=_WAITING))
        self._tracer: Tracer = self._provider.get_tracer("kiteroll", __version__)
        self._trace = trace
        self._propagator = TraceContextTextMapPropagator()

    @contextmanager
    def call(self, headers: Mapping[str, str], method: str) -> Iterator[Answered]:
        span = self._tracer.start_span(
            "call",
            self._propagator.extract(headers),
            self._trace.SpanKind.SERVER,
            {"http.request.method": method},
        )

        def answered(operation: str, status: int) -> None:
            span.update_name(operation)
            span.set_attribute("http.response.status_code", status)
            if status >= 500:
                span.set_status(self._trace.StatusCode.ERROR)

        try:
            yield answered
        finally:
            span.end()

    def reading(self, store: Callable[[PollResult], Awaitable[T]]) -> Callable[[PollResult], Awaitable[T]]:
        async def traced(result: PollResult) -> T:
            began = _nanoseconds(result.started_at)
            collected = began + int(result.duration.total_seconds() * 1e9)
            whole = self._tracer.start_span("reading", attributes={"switch": result.name}, start_time=began)
            within = self._trace.set_span_in_context(whole)
            part = self._tracer.start_span("collect", within, start_time=began)
            if isinstance(result.outcome, KiteRollError):
                part.set_status(self._trace.StatusCode.ERROR, str(result.outcome))
            part.end(collected)
            try:
                with self._tracer.start_as_current_span("store", within, start_time=collected):
                    return await store(result)
            finally:
                whole.end()

        return traced

    def close(self) -> None:
        """Send what waits, for two seconds at most."""
        self._provider.force_flush(_STOP_MS)
        self._provider.shutdown()


def make_traces(endpoint: str, headers: Mapping[str, Any], share: float) -> Traces:
    """Raises ConfigError."""
    return OtlpTraces(endpoint, headers, share) if endpoint else NoTraces()


def _nanoseconds(at: datetime) -> int:
    return int(at.timestamp() * 1e9)
