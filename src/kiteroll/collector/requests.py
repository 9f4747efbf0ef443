"""Requests of the centre to read a switch. They come again until they are answered; each is carried out once,
and none waits for another: a silent switch is no reason for others not to be read."""

import asyncio
import logging
from collections import OrderedDict
from collections.abc import Awaitable, Callable

from kiteroll.bus.messages import Answer, Asked

log = logging.getLogger(__name__)
_KEPT = 1024


class Requests:
    def __init__(
        self,
        carry_out: Callable[[Asked], Awaitable[Answer]],
        send: Callable[[Answer], Awaitable[None]],
    ) -> None:
        self._carry_out = carry_out
        self._send = send
        self._answers: OrderedDict[str, Answer | None] = OrderedDict()
        """Of the latest requests, by id; None: it is being carried out."""
        self._running: set[asyncio.Task[None]] = set()

    def take(self, asked: Asked) -> None:
        """Carry it out, unless that was done or is being done; send what is known already once more."""
        if asked.id in self._answers:
            answer = self._answers[asked.id]
            if answer is not None:
                self._run(asked, self._send(answer))
            return
        if len(self._running) >= _KEPT:
            return  # it comes again
        self._answers[asked.id] = None
        if len(self._answers) > _KEPT:
            self._answers.popitem(last=False)
        self._run(asked, self._answer(asked))

    async def _answer(self, asked: Asked) -> None:
        try:
            answer = self._answers[asked.id] = await self._carry_out(asked)
        except BaseException:
            self._answers.pop(asked.id, None)
            raise
        await self._send(answer)

    def _run(self, asked: Asked, work: Awaitable[None]) -> None:
        task = asyncio.create_task(_alone(work), name=f"asked:{asked.id}")
        self._running.add(task)
        task.add_done_callback(self._running.discard)


async def _alone(work: Awaitable[None]) -> None:
    """The boundary of one request: what goes wrong with it ends no other."""
    try:
        await work
    except Exception:
        log.exception("internal error while answering the centre", extra={"event": "request.bug"})
