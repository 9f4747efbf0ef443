"""The site's side of the bus: what a collector sends, asks for and is asked."""

import asyncio
import time
from collections.abc import Callable
from contextlib import suppress
from datetime import datetime
from typing import TYPE_CHECKING

from kiteroll.bus import names
from kiteroll.bus.connection import ANSWER_S, answered, make_stream, stream_settings
from kiteroll.bus.messages import Answer, Asked, AskForTargets, Heard, Read, Sent, Status, decode, encode
from kiteroll.bus.settings import BusSettings
from kiteroll.core.errors import Invalid

if TYPE_CHECKING:
    from nats.aio.client import Client
    from nats.aio.msg import Msg


LEASE_S = 10.0
"""A collector that does not renew its lease for so long has lost it to the standby."""


class SiteBus:
    def __init__(self, client: "Client", settings: BusSettings, site: str, collector: str) -> None:
        self._client = client
        self._stream = client.jetstream(timeout=ANSWER_S)
        self._settings = settings
        self._token = names.site_token(site)
        self._collector = collector
        self._revision: int | None = None
        """Of our lease; None while we have none."""

    async def prepare(self) -> None:
        """The stream and the bucket of the site, where they are not there yet. Raises BusUnavailable."""
        from nats.js.api import KeyValueConfig

        wanted = {
            "name": names.stream(self._token),
            "subjects": [names.readings(self._token)],
            "duplicate_window": 120,
            **stream_settings(self._settings),
        }
        await answered(make_stream(self._stream, **wanted), "making the stream of the site")
        bucket = KeyValueConfig(
            bucket=names.lease(self._token), ttl=LEASE_S, replicas=self._settings.replicas
        )
        await answered(self._stream.create_key_value(bucket), "making the lease of the site")

    async def publish(self, read: Read) -> None:
        """Returns once the site's server has it on disk; the same again changes nothing. Raises
        BusUnavailable."""
        await self._publish(Sent(read=read), f"{read.switch} {read.started_at.isoformat()}")

    async def note_time(self, at: datetime) -> None:
        """Behind all readings so far. Raises BusUnavailable."""
        await self._publish(Sent(noted_at=at), f"{self._collector} {at.isoformat()}")

    async def _publish(self, sent: Sent, once: str) -> None:
        data = await asyncio.to_thread(encode, sent)
        headers = {"Nats-Msg-Id": once}
        sending = self._stream.publish(names.readings(self._token), data, headers=headers)
        await answered(sending, "handing over a reading")

    async def send_status(self, status: Status) -> tuple[Heard, float]:
        """What the centre answers, and how long that took, in seconds. Raises BusUnavailable while it is
        not heard, Invalid for an answer that is none."""
        began = time.monotonic()
        sending = self._client.request(names.status(self._token), encode(status), timeout=ANSWER_S)
        message = await answered(sending, "reporting to the centre")
        return decode(Heard, message.data), time.monotonic() - began

    async def fetch_targets(self) -> bytes:
        """Sealed. Raises BusUnavailable."""
        ask = encode(AskForTargets(collector=self._collector))
        asking = self._client.request(names.targets(self._token), ask, timeout=ANSWER_S)
        message = await answered(asking, "asking for what is to be read")
        return message.data

    async def listen(self, on_asked: Callable[[Asked], None], on_changed: Callable[[], None]) -> None:
        """From now on: what the centre asks for, and that there are other targets. One message is handed on
        after the other: neither may take long."""

        async def asked(message: "Msg") -> None:
            try:
                on_asked(decode(Asked, message.data))
            except Invalid:
                return  # of a centre that is newer than we are

        async def changed(message: "Msg") -> None:
            on_changed()

        await answered(self._client.subscribe(names.asked(self._token), cb=asked), "listening")
        await answered(self._client.subscribe(names.changed(self._token), cb=changed), "listening")

    async def answer(self, answer: Answer) -> None:
        await answered(self._client.publish(names.answers(self._token), encode(answer)), "answering")

    async def hold_lease(self) -> bool:
        """Whether this collector is the one that reads. Raises BusUnavailable when the site's own server is
        away: then nobody can take it over either."""
        from nats.js.errors import BadRequestError, KeyWrongLastSequenceError, NotFoundError

        taken = (KeyWrongLastSequenceError, BadRequestError, NotFoundError)
        try:
            self._revision = await answered(self._renewed(), "the lease of the site", taken)
        except taken:
            self._revision = None  # somebody else has it, or ours ran out
        return self._revision is not None

    async def _renewed(self) -> int:
        """Its new revision."""
        bucket, value = await self._stream.key_value(names.lease(self._token)), self._collector.encode()
        if self._revision is None:
            return await bucket.create("reads", value)
        return await bucket.update("reads", value, last=self._revision)

    async def release_lease(self) -> None:
        """So that the standby need not wait; whoever took it over already keeps it. Raises BusUnavailable."""
        from nats.js.errors import BadRequestError

        if self._revision is not None:
            bucket = await answered(self._stream.key_value(names.lease(self._token)), "the lease")
            with suppress(BadRequestError):
                giving_back = bucket.delete("reads", last=self._revision)
                await answered(giving_back, "the lease", (BadRequestError,))
            self._revision = None
