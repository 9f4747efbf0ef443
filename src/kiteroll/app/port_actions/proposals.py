"""Proposals to close ports: a person approves or refuses each, once."""

import asyncio
from collections.abc import Sequence
from datetime import timedelta

from kiteroll.app.port_actions.actor import Order, PortActor
from kiteroll.clock import Clock
from kiteroll.core.errors import Conflict
from kiteroll.core.model.paging import PageAsk
from kiteroll.core.port_actions.actions import ActionKind, ActionState, Wanted
from kiteroll.core.port_actions.guards import Guard
from kiteroll.store import port_proposals
from kiteroll.store.database import Database
from kiteroll.store.paging import Page
from kiteroll.store.port_proposals import ProposalRow

__all__ = ["ProposalRow", "Proposals"]


class Proposals:
    def __init__(self, database: Database, actor: PortActor, clock: Clock) -> None:
        self._database = database
        self._actor = actor
        self._clock = clock

    def page(self, states: Sequence[str], ask: PageAsk) -> Page[ProposalRow]:
        """Latest first."""
        return self._database.run(port_proposals.proposals_page, states, ask)

    def get(self, number: int) -> ProposalRow:
        """Raises NotFound."""
        return self._database.run(port_proposals.get_proposal, number)

    async def approve(
        self, number: int, by: str, via: str, client: str, overrides: frozenset[Guard]
    ) -> ProposalRow:
        """Close the port. Raises NotFound, Conflict where it was decided on, and what carrying it out raises:
        then it is open again."""
        now = self._clock.now()
        row = await asyncio.to_thread(
            self._database.run, port_proposals.decide, number, port_proposals.APPROVED, by, now
        )
        wanted = Wanted(kind=ActionKind.CLOSE, switch=row.switch, port=row.port)
        order = Order(
            reason=row.why,
            asked_by=by,
            via=via,
            client=client,
            overrides=overrides,
            breach=row.breach,
            reopen_after=timedelta(seconds=row.reopen_after_s),
        )
        try:
            done = await self._actor.carry_out(wanted, order)
        except BaseException:
            await asyncio.to_thread(self._database.run, port_proposals.give_back, number)
            raise
        await asyncio.to_thread(self._database.run, port_proposals.note_action, number, done.id)
        if done.state in (ActionState.REFUSED, ActionState.NOT_DONE):
            await asyncio.to_thread(self._database.run, port_proposals.give_back, number)
            raise Conflict(f"{row.switch} port {row.port} is not closed: {done.outcome}")
        return await asyncio.to_thread(self.get, number)

    def refuse(self, number: int, by: str) -> ProposalRow:
        """Raises NotFound, or Conflict where it was decided on."""
        return self._database.run(
            port_proposals.decide, number, port_proposals.REFUSED, by, self._clock.now()
        )
