"""Carries actions out: records, sends, reads back, records. What an action came to is what the switch says
afterwards, never what it answered."""

import asyncio
import logging
from collections import defaultdict
from collections.abc import Awaitable, Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import Connection

from kiteroll.app.logs import fields
from kiteroll.app.port_actions.planner import ActionPlan, ActionPlanner, Way
from kiteroll.clock import Clock
from kiteroll.collect.switch_writer import Answer, writing
from kiteroll.core.errors import Conflict, DeviceError, KiteRollError
from kiteroll.core.port_actions.actions import ActionKind, ActionState, Wanted, read_back
from kiteroll.core.port_actions.closures import REMEMBERED, Closure, reopening
from kiteroll.core.port_actions.guards import Guard, Objection, not_overridden
from kiteroll.store import audit, port_actions, port_closures
from kiteroll.store.database import Database
from kiteroll.store.port_actions import ActionRow, NewAction
from kiteroll.wording.port_actions import objection_text

log = logging.getLogger(__name__)
_READ_BACK_S = (0.0, 0.3, 1.0, 2.0)
"""Pauses before it is read back: a port may take a moment to shut."""
_ASKED_AGAIN_FOR = timedelta(days=1)
"""What is still not known then is not asked for any more."""


class Guarded(Conflict):
    """Something speaks against it, and was not overridden."""

    code = "guarded"

    def __init__(self, wanted: Wanted, against: Sequence[Objection]) -> None:
        self.objections = tuple(against)
        self.problems = tuple((one.guard.value, objection_text(one)) for one in against)
        problems = "; ".join(f"{guard}: {text}" for guard, text in self.problems)
        names = ", ".join(one.guard for one in against)
        super().__init__(
            f"{wanted.switch} {wanted.port} is not touched: {problems}. "
            f"Who knows better overrides it by name ({names})"
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class Order:
    """Who wants it, and why."""

    reason: str
    asked_by: str = ""
    """Empty: a rule by itself, or the timer."""
    via: str = ""
    client: str = ""
    """Address it was asked from."""
    overrides: frozenset[Guard] = frozenset()
    breach: str = ""
    """Key of the finding it is for."""
    reopen_after: timedelta = timedelta(0)


class PortActor:
    def __init__(
        self,
        database: Database,
        planner: ActionPlanner,
        read_switch: Callable[[str], Awaitable[object]],
        reopens: Callable[[], int],
        clock: Clock,
    ) -> None:
        """`read_switch` reads one now, by name; `reopens`: how often the timer may open a port for the same
        breach."""
        self._database = database
        self._planner = planner
        self._read_switch = read_switch
        self._reopens = reopens
        self._clock = clock
        self._locks: dict[str, asyncio.Lock] = defaultdict(asyncio.Lock)
        """By switch: one action after the other, each planned on what the one before left."""
        self._reading: set[asyncio.Task[None]] = set()

    async def plan(self, wanted: Wanted, client: str = "") -> ActionPlan:
        """What `carry_out` would do. Raises what the planner raises."""
        return await self._planner.plan(wanted, client)

    async def carry_out(self, wanted: Wanted, order: Order) -> ActionRow:
        """Do it, and read back what became of it. Raises Guarded, Invalid for a needless override, and what
        planning raises: then nothing was sent."""
        async with self._locks[wanted.switch]:
            plan = await self._planner.plan(wanted, order.client)
            if left := not_overridden(plan.objections, order.overrides):
                raise Guarded(wanted, left)
            row = await asyncio.to_thread(self._begin, plan, order)
            # From here on it is recorded: who is cut off finds the rest of it done at the next start.
            return await asyncio.shield(asyncio.ensure_future(self._send(row, plan.way)))

    async def find_out(self, row: ActionRow) -> ActionRow:
        """What became of an action whose end is not recorded. Raises StorageUnavailable."""
        wanted = Wanted(kind=row.kind, switch=row.switch, port=row.port, value=_value_of(row))
        async with self._locks[row.switch]:
            row = await asyncio.to_thread(self._database.run, port_actions.get_action, row.id)
            if row.state.over:
                return row
            try:
                way = await asyncio.to_thread(self._planner.way, wanted)
            except KiteRollError as gone:
                return await self._end(row, ActionState.UNKNOWN, f"it cannot be asked: {gone}")
            return await self._read_back(row, way, Answer(False, silent="it was not known what became of it"))

    async def find_out_all(self) -> None:
        """Of every action whose end is not known, for a day."""
        since = self._clock.now() - _ASKED_AGAIN_FOR
        for row in await asyncio.to_thread(self._database.run, port_actions.unfinished_actions):
            if row.began_at >= since and not self._locks[row.switch].locked():
                await self.find_out(row)

    def _begin(self, plan: ActionPlan, order: Order) -> ActionRow:
        new = NewAction(
            kind=plan.wanted.kind,
            switch=plan.wanted.switch,
            port=plan.wanted.port,
            write=plan.write,
            reason=order.reason,
            asked_by=order.asked_by,
            via=order.via,
            overridden=sorted(order.overrides),
            breach=order.breach,
            reopen_after_s=int(order.reopen_after.total_seconds()),
            present=[str(one.mac) for one in plan.present],
        )
        return self._database.run(port_actions.begin_action, new, self._clock.now())

    async def _send(self, row: ActionRow, way: Way) -> ActionRow:
        agent, writer = writing(way.target, self._clock, way.limits)
        try:
            async with agent:
                answer = await writer.write(way.object, row.write.to)
        except DeviceError as refused:
            answer = Answer(False, refused=str(refused))
        row = await self._read_back(row, way, answer)
        self._read_soon(row.switch)
        return row

    async def _read_back(self, row: ActionRow, way: Way, answer: Answer) -> ActionRow:
        """Until it is as asked, or has had its time."""
        state, outcome = ActionState.UNKNOWN, ""
        for pause_s in _READ_BACK_S:
            await self._clock.sleep(pause_s)
            try:
                found = await self._planner.read(way)
            except DeviceError as away:
                outcome = f"{_answer_text(answer)}; it could not be read back: {away}"
                continue
            state = read_back(row.write, found)
            outcome = f"{_answer_text(answer)}; read back: {row.write.name} is {found or 'empty'}"
            if state is ActionState.DONE or answer.refused:
                break
        if state is ActionState.NOT_DONE and answer.refused:
            state = ActionState.REFUSED
        return await self._end(row, state, outcome)

    async def _end(self, row: ActionRow, state: ActionState, outcome: str) -> ActionRow:
        row = await asyncio.to_thread(self._database.run, self._record_end, row, state, outcome)
        extra = fields(
            "action.ended", kind=row.kind, switch=row.switch, port=row.port, state=row.state, by=row.asked_by
        )
        log.log(logging.INFO if state is ActionState.DONE else logging.WARNING, "action", extra=extra)
        return row

    def _record_end(
        self, connection: Connection, row: ActionRow, state: ActionState, outcome: str
    ) -> ActionRow:
        """In one transaction: what was done, and that the port is closed, or open again."""
        now = self._clock.now()
        if state is ActionState.DONE and row.kind is ActionKind.CLOSE:
            self._note_closed(connection, row)
        elif state is ActionState.DONE and row.kind is ActionKind.REOPEN:
            by_timer = not row.asked_by
            port_closures.end_closure(
                connection, (row.switch, row.port), now, row.asked_by, by_timer=by_timer
            )
        if state is not row.state:
            _enter(connection, row, state, outcome, now)
        return port_actions.end_action(connection, row.id, state, outcome, now)

    def _note_closed(self, connection: Connection, row: ActionRow) -> None:
        now, port = self._clock.now(), (row.switch, row.port)
        earlier = port_closures.closures_of(connection, port, now - REMEMBERED)
        again = reopening(
            [one.closure for one in earlier],
            row.breach,
            timedelta(seconds=row.reopen_after_s),
            self._reopens(),
            now,
        )
        closure = Closure(port=port, closed_at=now, breach=row.breach, reopen_at=again.at, held=again.held)
        port_closures.add_closure(connection, closure, row.id, row.asked_by, row.reason, again.came_back)

    def _read_soon(self, switch: str) -> None:
        """Its table changes with it; a reading that fails is reported as any other is."""

        async def read() -> None:
            try:
                await self._read_switch(switch)
            except KiteRollError as failed:
                log.info(
                    "not read after an action",
                    extra=fields("action.not_read", switch=switch, error=str(failed)),
                )

        task = asyncio.ensure_future(read())
        self._reading.add(task)
        task.add_done_callback(self._reading.discard)


def _enter(connection: Connection, row: ActionRow, state: ActionState, outcome: str, at: datetime) -> None:
    """Into the audit log: what the switch was set to, whoever wanted it."""
    audit.append_own(
        connection,
        at,
        "switch.write",
        f"{row.switch} {row.port}".strip(),
        by=row.asked_by or audit.SERVICE,
        via=row.via,
        note=f"{row.reason}; {state}: {outcome}",
        before={row.write.name: row.write.was},
        after={row.write.name: row.write.to} if state is ActionState.DONE else None,
    )


def _value_of(row: ActionRow) -> str:
    return "" if row.kind in (ActionKind.CLOSE, ActionKind.REOPEN) else row.write.to


def _answer_text(answer: Answer) -> str:
    if answer.done:
        return "the switch confirmed it"
    return f"the switch refused ({answer.refused})" if answer.refused else f"no answer ({answer.silent})"
