"""A connection to a NATS server, and what its errors mean."""

import asyncio
import logging
import ssl
import time
from collections.abc import AsyncIterator, Awaitable
from contextlib import asynccontextmanager
from typing import TYPE_CHECKING, Any, TypeVar

from kiteroll.bus.settings import BusSettings
from kiteroll.core.errors import BusUnavailable, ConfigError

if TYPE_CHECKING:
    from nats.aio.client import Client
    from nats.js import JetStreamContext
    from nats.js.api import StreamInfo


log = logging.getLogger(__name__)
T = TypeVar("T")
_LOGGED_EVERY_S = 60.0
ANSWER_S = 5.0
"""How long an answer of the server, or of the other side, is waited for."""


@asynccontextmanager
async def connected(settings: BusSettings, name: str, inbox: str) -> AsyncIterator["Client"]:
    """Connected until left; a lost connection comes back by itself, and is logged. `name`: of this
    program, for the server's log; `inbox`: prefix of the subjects that answers come back on. Raises
    ConfigError without `nats-py`, or for files that cannot be read; BusUnavailable for trouble that does not
    pass."""
    try:
        from nats import errors
        from nats.aio.client import Client
    except ImportError as missing:
        raise ConfigError(
            "settings", ("bus: it takes `nats-py`, which `kiteroll[cluster]` brings @ bus.url",)
        ) from missing

    trouble = _TroubleLog()

    async def on_error(error: Exception) -> None:
        trouble.warn(str(error) or type(error).__name__)

    async def on_disconnected() -> None:
        trouble.warn("the connection was lost")

    client = Client()
    try:
        try:
            # While no server answers it is tried again every second, without end.
            await client.connect(
                [one.strip() for one in settings.url.split(",")],
                name=name,
                user=settings.user or None,
                password=settings.password or None,
                tls=_tls(settings),
                inbox_prefix=inbox.encode(),
                allow_reconnect=True,
                max_reconnect_attempts=-1,
                reconnect_time_wait=1,
                connect_timeout=3,
                ping_interval=10,
                max_outstanding_pings=2,
                pending_size=0,  # what cannot be sent fails at once: it is sent again by whoever has it
                error_cb=on_error,
                disconnected_cb=on_disconnected,
            )
        except (OSError, errors.Error) as away:
            raise BusUnavailable(f"no message engine (NATS) at {shown(settings.url)}: {away}") from away
        yield client
    finally:
        trouble.ended = True
        await client.close()
        end_if_cancelled()


class _TroubleLog:
    """The same trouble is logged once a minute, however often it is tried again."""

    def __init__(self) -> None:
        self._last: dict[str, float] = {}
        self.ended = False

    def warn(self, what: str) -> None:
        now = time.monotonic()
        if not self.ended and now - self._last.get(what, -_LOGGED_EVERY_S) >= _LOGGED_EVERY_S:
            self._last[what] = now
            log.warning("message engine", extra={"event": "bus.lost", "error": what})


async def answered(asking: Awaitable[T], what: str, but: tuple[type[Exception], ...] = ()) -> T:
    """Raises BusUnavailable instead of the library's errors, except for those of `but`, which mean something
    to whoever asks. `what`: such as "publishing"."""
    from nats import errors
    from nats.js import errors as js_errors

    try:
        answer = await asking
    except but:
        end_if_cancelled()
        raise
    except (errors.Error, js_errors.Error, OSError, TimeoutError) as wrong:
        end_if_cancelled()
        raise BusUnavailable(f"the message engine: {what}: {wrong or type(wrong).__name__}") from wrong
    end_if_cancelled()
    return answer


def end_if_cancelled() -> None:
    """A task that was told to end ends here, also where the library took that for something else, or for
    nothing: it swallows a cancellation that comes while it writes. Raises CancelledError."""
    task = asyncio.current_task()
    if task is not None and task.cancelling():
        raise asyncio.CancelledError


def shown(url: str) -> str:
    """Without user and password."""
    return ",".join(one.strip().rpartition("@")[2] for one in url.split(","))


def _tls(settings: BusSettings) -> ssl.SSLContext | None:
    if settings.ca_file is None and not settings.url.startswith("tls://"):
        return None
    try:
        context = ssl.create_default_context(cafile=settings.ca_file)
        if settings.certificate is not None:
            context.load_cert_chain(settings.certificate, settings.key)
    except OSError as wrong:
        raise ConfigError("settings", (f"a file for TLS cannot be used: {wrong} @ bus",)) from wrong
    return context


async def make_stream(streams: "JetStreamContext", **wanted: Any) -> "StreamInfo":
    """Have a stream as it is wanted, `name` among it: one that is there keeps what is in it."""
    from nats.js.errors import NotFoundError

    try:
        await streams.stream_info(wanted["name"])
    except NotFoundError:
        return await streams.add_stream(**wanted)
    return await streams.update_stream(**wanted)


def stream_settings(settings: BusSettings) -> dict[str, Any]:
    """Bounds of a site's stream, there and at the centre: beyond them the oldest is dropped."""
    return {"max_age": settings.keep_s, "max_bytes": settings.keep_octets, "num_replicas": settings.replicas}
