"""Reports of trackers to the service: they wait in a stream at the centre while the service is away.

What a message says is for those who send and take it (`app.trackers.reports`).
"""

from collections.abc import AsyncIterator
from contextlib import suppress
from dataclasses import dataclass
from typing import TYPE_CHECKING

from kiteroll.bus import names
from kiteroll.bus.connection import ANSWER_S, answered, make_stream, stream_settings
from kiteroll.bus.settings import BusSettings
from kiteroll.core.errors import BusUnavailable

if TYPE_CHECKING:
    from nats.aio.client import Client
    from nats.aio.msg import Msg

_STREAM = f"{names.PREFIX}-areas"
"""No site's stream is called so: a site has no hyphen in its token."""
_CONSUMER = "service_"
_AT_ONCE = 256
_FETCH_S = 2.0
_UNCONFIRMED_S = 30.0


@dataclass(frozen=True, slots=True)
class ReportMessage:
    area: str
    """As a token."""
    data: bytes
    _raw: "Msg"

    async def confirm(self) -> None:
        """It is taken, and so is all before it: once this returns they do not come again, to no later service
        either. Raises BusUnavailable."""
        await answered(self._raw.ack_sync(timeout=ANSWER_S), "confirming what a tracker reported")


class ReportBus:
    def __init__(self, client: "Client", settings: BusSettings) -> None:
        self._streams = client.jetstream(timeout=ANSWER_S)
        self._settings = settings

    async def prepare(self) -> None:
        """The stream, where it is not there yet. Raises BusUnavailable."""
        wanted = {
            "name": _STREAM,
            "subjects": [f"{_STREAM}.*"],
            **stream_settings(self._settings),
        }
        await answered(make_stream(self._streams, **wanted), "making the stream of areas")

    async def publish(self, area: str, data: bytes) -> None:
        """Returns once the engine has it on disk. Raises BusUnavailable."""
        sending = self._streams.publish(f"{_STREAM}.{names.site_token(area)}", data)
        await answered(sending, "reporting to the service")

    async def events(self, epoch: int) -> AsyncIterator[list[ReportMessage]]:
        """Without end, in order, some at a time; they come again unless they are confirmed. Goes on where the
        service before was. `epoch`: of this service's lease: an earlier one that wakes up gets nothing more.
        Raises BusUnavailable."""
        from nats.errors import TimeoutError as NothingThere

        name = f"{_CONSUMER}{epoch}"
        await answered(self._take_over(epoch), "following the trackers")
        binding = self._streams.pull_subscribe_bind(name, _STREAM)
        source = await answered(binding, "following the trackers")
        while True:
            try:
                fetching = source.fetch(_AT_ONCE, timeout=_FETCH_S)
                fetched = await answered(fetching, "fetching what trackers reported", (NothingThere,))
            except NothingThere:
                yield []
                continue
            yield [ReportMessage(one.subject.rpartition(".")[2], one.data, one) for one in fetched]

    async def _take_over(self, epoch: int) -> None:
        from nats.js.api import AckPolicy, ConsumerConfig, DeliverPolicy
        from nats.js.errors import NotFoundError

        done = 0
        for one in await self._streams.consumers_info(_STREAM):
            if int(one.name.removeprefix(_CONSUMER)) > epoch:
                raise BusUnavailable("a later service follows the trackers")
            if one.ack_floor is not None:
                done = max(done, one.ack_floor.stream_seq)
            with suppress(NotFoundError):
                await self._streams.delete_consumer(_STREAM, one.name)
        wanted = ConsumerConfig(
            durable_name=f"{_CONSUMER}{epoch}",
            deliver_policy=DeliverPolicy.BY_START_SEQUENCE if done else DeliverPolicy.ALL,
            opt_start_seq=done + 1 if done else None,
            ack_policy=AckPolicy.ALL,
            ack_wait=_UNCONFIRMED_S,
            max_ack_pending=4 * _AT_ONCE,
        )
        await self._streams.add_consumer(_STREAM, wanted)
