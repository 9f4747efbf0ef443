"""What rules do by themselves: they propose to close a port, or close it, once a breach is found."""

import asyncio
import logging
from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Sequence
from datetime import timedelta

from kiteroll.app.events import EventBus, InventoryChanged, RulesChanged
from kiteroll.app.logs import fields
from kiteroll.app.port_actions.actor import Guarded, Order, PortActor
from kiteroll.clock import Clock
from kiteroll.core.errors import KiteRollError, StorageUnavailable
from kiteroll.core.findings.finding import Finding
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.port_actions.actions import ActionKind, ActionState, Wanted
from kiteroll.core.port_actions.breaches import (
    BREACHES,
    PROPOSED_FOR,
    Consequence,
    Step,
    may_act,
    may_close,
    steps,
    to_be_rehearsed,
)
from kiteroll.core.port_actions.closures import REMEMBERED, Closure, still_to_act
from kiteroll.core.port_actions.guards import Limits
from kiteroll.store import findings, inventory, port_actions, port_closures, port_proposals
from kiteroll.store.database import Database
from kiteroll.store.port_proposals import NewProposal
from kiteroll.wording.finding_titles import title

log = logging.getLogger(__name__)
_HOUR = timedelta(hours=1)
_LATELY = timedelta(seconds=45)
"""Within which a breach that goes on shows again and again: for one that is over, nothing is closed."""
STEP_S = 2.0


class BreachActions:
    def __init__(
        self,
        database: Database,
        actor: PortActor,
        live: Callable[[], Iterable[Finding]],
        rules: Callable[[], RuleBook],
        limits: Callable[[], Limits],
        bus: EventBus,
        clock: Clock,
    ) -> None:
        """`live`: findings that are not cleared; `rules`: reads those in force."""
        self._database = database
        self._actor = actor
        self._live = live
        self._rules = rules
        self._limits = limits
        self._clock = clock
        self._book: RuleBook | None = None
        """Rules as read last; None once they changed."""
        self._changes = 0
        bus.subscribe(RulesChanged, lambda _: self._forget_rules())
        bus.subscribe(InventoryChanged, lambda _: self._forget_rules())
        self._settled: set[tuple[str, int, int, PortRef, Consequence]] = set()
        """What was seen to, of breaches that are live."""

    async def step(self) -> None:
        """Look at breaches that are live now. Raises StorageUnavailable; then nothing is lost."""
        live = {one.key: one for one in self._live() if one.kind in BREACHES}
        await asyncio.to_thread(self._withdraw, live.keys())
        self._settled = {one for one in self._settled if one[0] in live}
        # What a finding explains, such as a loop, is not closed for; what somebody looks at is theirs.
        open_now = [one for one in live.values() if one.stands_open]
        if not open_now:
            return
        rules = await self._rules_in_force()
        if not may_act(rules):
            return
        for finding, step, closings in await asyncio.to_thread(self._steps, open_now, rules):
            mark = (finding.key, finding.times_opened, closings, step.port, step.consequence)
            if mark in self._settled:
                continue
            await self._propose_or_close(finding, step, closings)
            self._settled.add(mark)

    def _steps(self, live: Sequence[Finding], rules: RuleBook) -> list[tuple[Finding, Step, int]]:
        """What is to be done, and how often the port was closed for it before."""
        now = self._clock.now()
        asked = to_be_rehearsed(live, rules)
        rehearsed = self._database.run(port_actions.rehearsed, sorted(asked))
        earlier: dict[PortRef, list[Closure]] = defaultdict(list)
        for row in self._database.run(port_closures.closures_since, now - REMEMBERED):
            earlier[row.closure.port].append(row.closure)
        return [
            (one, step, sum(each.breach == one.key for each in earlier[step.port]))
            for one in live
            if now - one.last_at <= _LATELY
            for step in steps(one, rules, rehearsed)
            if still_to_act(earlier[step.port], one.last_at)
        ]

    async def _rules_in_force(self) -> RuleBook:
        """Read again only after a change; one that comes while they are read is not missed."""
        changes, book = self._changes, self._book
        if book is None:
            book = await asyncio.to_thread(self._rules)
            if changes == self._changes:
                self._book = book
        return book

    def _forget_rules(self) -> None:
        self._book = None
        self._changes += 1

    def _withdraw(self, live: Collection[str]) -> None:
        """Proposals whose cause is gone, and those nobody decided on in time."""
        now = self._clock.now()
        self._database.run(port_proposals.expire, now)
        self._database.run(port_proposals.withdraw_others, live, now)

    async def _propose_or_close(self, finding: Finding, step: Step, closings: int) -> None:
        """Propose it, unless the rule closes the port by itself, and that is done."""
        if step.consequence is Consequence.PROPOSE:
            note: str | None = ""
        elif step.consequence is Consequence.PROPOSE_NOT_REHEARSED:
            note = "its rule closes, but was not rehearsed"
        else:
            note = await self._not_closed(finding, step)
        if note is not None:
            await asyncio.to_thread(self._propose, finding, step, closings, note)

    async def _not_closed(self, finding: Finding, step: Step) -> str | None:
        """Close it; why that is not done, or None where it is. Raises StorageUnavailable."""
        if not await asyncio.to_thread(self._may_close):
            return "closing by rules has stopped: too many within an hour"
        order = Order(reason=title(finding), breach=finding.key, reopen_after=step.reopen_after, via="rule")
        wanted = Wanted(kind=ActionKind.CLOSE, switch=step.port[0], port=step.port[1])
        try:
            row = await self._actor.carry_out(wanted, order)
        except StorageUnavailable:
            raise
        except Guarded as guarded:
            names = ", ".join(one.guard for one in guarded.objections)
            return f"its rule closes, but is guarded: {names}"
        except KiteRollError as failed:
            return f"its rule closes, but: {failed}"
        return None if row.state is ActionState.DONE else f"its rule closes, but: {row.outcome}"

    def _may_close(self) -> bool:
        """Where this one would be too many, closing by rules stops until a person lets it go on."""
        now, most = self._clock.now(), self._limits().by_rule_per_hour
        stopped = self._database.run(port_actions.closing_stopped)
        _, by_rules = self._database.run(port_actions.closed_since, now - _HOUR)
        if may_close(by_rules, most, stopped[0] if stopped else None):
            return True
        if stopped is None:
            why = f"rules closed {by_rules} ports within an hour, of {most} they may"
            self._database.run(port_actions.stop_closing, now, why)
            log.error("closing by rules stopped", extra=fields("closing.stopped", why=why))
        return False

    def _propose(self, finding: Finding, step: Step, closings: int, note: str) -> None:
        now = self._clock.now()
        row = self._database.run(findings.by_keys, [finding.key]).get(finding.key)
        switch = self._database.run(inventory.switches_named, [step.port[0]]).get(step.port[0])
        if switch is not None and switch.write_credential is None:
            note = f"{note}; the switch is only read" if note else "the switch is only read"
        new = NewProposal(
            switch=step.port[0],
            port=step.port[1],
            breach=finding.key,
            finding=row.id if row else None,
            times_opened=finding.times_opened,
            closings=closings,
            why=title(finding),
            note=note,
            reopen_after_s=int(step.reopen_after.total_seconds()),
            expires_at=now + PROPOSED_FOR,
        )
        made = self._database.run(port_proposals.propose, new, now)
        if made is not None:
            extra = fields("closing.proposed", switch=new.switch, port=new.port, why=new.why, note=note)
            log.warning("closing a port is proposed", extra=extra)
