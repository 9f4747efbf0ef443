"""The centre's side of the bus: readings of every site, and what collectors say and ask."""

import logging
import secrets
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import suppress
from dataclasses import dataclass
from typing import TYPE_CHECKING

from pydantic import BaseModel

from kiteroll.bus import names
from kiteroll.bus.connection import ANSWER_S, answered, make_stream, stream_settings
from kiteroll.bus.messages import Answer, Asked, AskForTargets, Status, decode, encode
from kiteroll.bus.settings import BusSettings
from kiteroll.core.errors import Invalid, KiteRollError

if TYPE_CHECKING:
    from nats.aio.client import Client
    from nats.aio.msg import Msg


log = logging.getLogger(__name__)
_AT_ONCE = 64
"""Readings fetched together."""
_FETCH_S = 2.0
_UNCONFIRMED_S = 60.0
"""A reading that is fetched and not confirmed for so long is given out again."""
_FORGOTTEN_S = 300.0
"""A consumer that nobody asks for so long goes by itself."""
_SOURCE = "Nats-Stream-Source"
"""Header: stream and number of a message where it comes from."""


@dataclass(frozen=True, slots=True)
class Message:
    """A reading as it came, to be decoded and confirmed."""

    data: bytes
    subject: str
    number: int | None
    """In the stream of the site; None: not known."""
    position: int
    """In the stream of the centre."""
    _raw: "Msg"

    async def confirm(self) -> None:
        """It is stored, or refused, and so is all before it: they do not come again. Raises
        BusUnavailable."""
        await answered(self._raw.ack(), "confirming a reading")


@dataclass(frozen=True, slots=True)
class Backlog:
    """How much of a site is still to come."""

    at_site: int
    """Readings its server has, and the centre's has not."""
    here: int


class CentreBus:
    def __init__(self, client: "Client", settings: BusSettings) -> None:
        self._client = client
        self._stream = client.jetstream(timeout=ANSWER_S)
        self._settings = settings
        self._consumer = f"tracker_{secrets.token_hex(4)}"
        """Of this service alone: one that was killed has messages in hand that would come again too late."""

    async def follow(self, site: str, after: int | None) -> None:
        """Have the stream of a site come here, behind the position `after`; None, or one that is not in the
        stream any more: from its beginning. Raises BusUnavailable."""
        from nats.js.api import AckPolicy, ConsumerConfig, DeliverPolicy, ExternalStream, StreamSource
        from nats.js.errors import NotFoundError

        token = names.site_token(site)
        source = StreamSource(
            name=names.stream(token),
            external=ExternalStream(api=f"$JS.{token}.API", deliver=names.delivered(token)),
        )
        wanted = {"name": names.stream(token), "sources": [source], **stream_settings(self._settings)}
        info = await answered(make_stream(self._stream, **wanted), f"the stream of {site}")
        known = after is not None and after <= info.state.last_seq
        removing = self._stream.delete_consumer(names.stream(token), self._consumer)
        with suppress(NotFoundError):
            await answered(removing, f"the consumer of {site}", (NotFoundError,))
        consumer = ConsumerConfig(
            durable_name=self._consumer,
            deliver_policy=DeliverPolicy.BY_START_SEQUENCE if known else DeliverPolicy.ALL,
            opt_start_seq=(after or 0) + 1 if known else None,
            inactive_threshold=_FORGOTTEN_S,
            ack_policy=AckPolicy.ALL,
            ack_wait=_UNCONFIRMED_S,
            max_ack_pending=4 * _AT_ONCE,
        )
        adding = self._stream.add_consumer(names.stream(token), consumer)
        await answered(adding, f"making the consumer of {site}")

    async def forget(self, site: str) -> None:
        """Its stream here goes; what is at the site stays there. Raises BusUnavailable."""
        from nats.js.errors import NotFoundError

        removing = self._stream.delete_stream(names.stream(names.site_token(site)))
        with suppress(NotFoundError):
            await answered(removing, f"removing the stream of {site}", (NotFoundError,))

    async def readings(self, site: str) -> AsyncIterator[list[Message]]:
        """Without end, in order, some at a time; they come again unless they are confirmed. Raises
        BusUnavailable."""
        from nats.errors import TimeoutError as NothingThere

        token = names.site_token(site)
        binding = self._stream.pull_subscribe_bind(self._consumer, names.stream(token))
        source = await answered(binding, f"following {site}")
        while True:
            try:
                fetching = source.fetch(_AT_ONCE, timeout=_FETCH_S)
                fetched = await answered(fetching, f"fetching the readings of {site}", (NothingThere,))
            except NothingThere:
                yield []
                continue
            yield [
                Message(one.data, one.subject, _number(one), one.metadata.sequence.stream, one)
                for one in fetched
            ]

    async def backlog(self, site: str) -> Backlog:
        """Raises BusUnavailable."""
        stream = names.stream(names.site_token(site))
        info = await answered(self._stream.stream_info(stream), f"the stream of {site}")
        consumer = await answered(self._stream.consumer_info(stream, self._consumer), f"the stream of {site}")
        at_site = sum(one.lag or 0 for one in info.sources or ())
        return Backlog(at_site, (consumer.num_pending or 0) + (consumer.num_ack_pending or 0))

    async def listen(
        self,
        on_status: Callable[[str, Status], Awaitable[BaseModel]],
        on_targets: Callable[[str, AskForTargets], Awaitable[bytes]],
        on_answer: Callable[[str, Answer], Awaitable[None]],
    ) -> None:
        """From now on. Each is given the token of the site the message came from: its server lets it
        publish on subjects of no other. What they raise as Invalid is answered with nothing."""

        async def status(message: "Msg") -> None:
            answer = await on_status(names.token_of(message.subject), decode(Status, message.data))
            await message.respond(encode(answer))

        async def targets(message: "Msg") -> None:
            ask = decode(AskForTargets, message.data)
            await message.respond(await on_targets(names.token_of(message.subject), ask))

        async def answers(message: "Msg") -> None:
            await on_answer(names.token_of(message.subject), decode(Answer, message.data))

        for subject, work in (
            (names.status("*"), status),
            (names.targets("*"), targets),
            (names.answers("*"), answers),
        ):
            await answered(self._client.subscribe(subject, cb=_bounded(work)), "listening")

    async def publish_request(self, site: str, asked: Asked) -> None:
        sending = self._client.publish(names.asked(names.site_token(site)), encode(asked))
        await answered(sending, f"asking {site}")

    async def publish_change(self, site: str) -> None:
        await answered(self._client.publish(names.changed(names.site_token(site)), b""), f"notifying {site}")


def _bounded(work: Callable[["Msg"], Awaitable[None]]) -> Callable[["Msg"], Awaitable[None]]:
    """One message that is wrong, or could not be answered, is nobody else's."""

    async def guarded(message: "Msg") -> None:
        try:
            await work(message)
        except Invalid as wrong:
            extra = {"event": "bus.refused", "subject": message.subject, "error": str(wrong)}
            log.warning("a message of a collector was refused", extra=extra)
        except KiteRollError as away:
            extra = {"event": "bus.unanswered", "subject": message.subject, "error": str(away)}
            log.warning("a message of a collector is not answered", extra=extra)
        except Exception:
            log.exception("a message of a collector", extra={"event": "bus.bug", "subject": message.subject})

    return guarded


def _number(message: "Msg") -> int | None:
    words = (message.headers or {}).get(_SOURCE, "").split()
    return int(words[1]) if len(words) > 1 and words[1].isdecimal() else None
