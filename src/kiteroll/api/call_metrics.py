"""How many calls are answered, how, and how fast."""

from starlette.types import ASGIApp, Message, Receive, Scope, Send

from kiteroll.api.call_traces import operation_of
from kiteroll.api.metrics import Metrics
from kiteroll.clock import Clock


class CallMetrics:
    """ASGI middleware; around the gate, so that what is refused counts as well."""

    def __init__(self, app: ASGIApp, metrics: Metrics, clock: Clock) -> None:
        self._app = app
        self._metrics = metrics
        self._clock = clock

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        began = self._clock.monotonic()

        async def answer(message: Message) -> None:
            if message["type"] == "http.response.start":
                took_s = self._clock.monotonic() - began
                self._metrics.count_call(operation_of(scope), message["status"], took_s)
            await send(message)

        await self._app(scope, receive, answer)
