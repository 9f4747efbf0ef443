"""Proposals to close ports, for a person to decide on."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Row, insert, select, update

from kiteroll.core.errors import Conflict, NotFound
from kiteroll.core.model.paging import PageAsk
from kiteroll.store.paging import Key, Page, fetch_page
from kiteroll.store.tables import port_proposal

OPEN, APPROVED, REFUSED, EXPIRED, WITHDRAWN = "open", "approved", "refused", "expired", "withdrawn"
"""Withdrawn: its cause is gone."""


@dataclass(frozen=True, slots=True, kw_only=True)
class NewProposal:
    switch: str
    port: str
    breach: str
    """Key of the finding it is for."""
    finding: int | None
    times_opened: int
    """Of the finding: each time it opens it is proposed once."""
    closings: int
    """How often the port was closed for it before: then it is proposed once more."""
    why: str
    note: str
    """What keeps it from being done without asking; empty: the rule says to propose."""
    reopen_after_s: int
    expires_at: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class ProposalRow(NewProposal):
    id: int
    proposed_at: datetime
    state: str
    decided_at: datetime | None
    decided_by: str
    action: int | None


def propose(connection: Connection, new: NewProposal, at: datetime) -> ProposalRow | None:
    """None where it was proposed already since the finding opened."""
    table = port_proposal
    known = select(table.c.id).where(
        table.c.breach == new.breach,
        table.c.times_opened == new.times_opened,
        table.c.closings == new.closings,
        table.c.switch_name == new.switch,
        table.c.port_name == new.port,
    )
    if connection.execute(known.limit(1)).scalar() is not None:
        return None
    made = connection.execute(
        insert(table).values(
            switch_name=new.switch,
            port_name=new.port,
            breach=new.breach,
            finding_id=new.finding,
            times_opened=new.times_opened,
            closings=new.closings,
            why=new.why[:512],
            note=new.note[:255],
            reopen_after_s=new.reopen_after_s,
            proposed_at=at,
            expires_at=new.expires_at,
            state=OPEN,
            decided_by="",
        )
    ).inserted_primary_key
    assert made is not None
    return get_proposal(connection, made[0])


def get_proposal(connection: Connection, number: int) -> ProposalRow:
    """Raises NotFound."""
    row = connection.execute(select(port_proposal).where(port_proposal.c.id == number)).one_or_none()
    if row is None:
        raise NotFound("proposal", str(number), "`kiteroll proposal list` shows those there are")
    return _row(row)


def decide(
    connection: Connection, number: int, state: str, by: str, at: datetime, action: int | None = None
) -> ProposalRow:
    """Raises NotFound, or Conflict where it is not open any more."""
    row = get_proposal(connection, number)
    table = port_proposal
    done = connection.execute(
        update(table)
        .where(table.c.id == number, table.c.state == OPEN)
        .values(state=state, decided_by=by[:64], decided_at=at, action_id=action)
    )
    if not done.rowcount:
        by_whom = f" by {row.decided_by}" if row.decided_by else ""
        raise Conflict(f"proposal {number} is {row.state}{by_whom}: it can be decided on once")
    return get_proposal(connection, number)


def give_back(connection: Connection, number: int) -> None:
    """What was decided could not be done: it is open again."""
    values = {"state": OPEN, "decided_by": "", "decided_at": None, "action_id": None}
    connection.execute(update(port_proposal).where(port_proposal.c.id == number).values(**values))


def note_action(connection: Connection, number: int, action: int) -> None:
    """What was done of it."""
    connection.execute(update(port_proposal).where(port_proposal.c.id == number).values(action_id=action))


def expire(connection: Connection, at: datetime) -> int:
    """Those nobody decided on in time; returns how many."""
    table = port_proposal
    return connection.execute(
        update(table)
        .where(table.c.state == OPEN, table.c.expires_at <= at)
        .values(state=EXPIRED, decided_at=at)
    ).rowcount


def withdraw_others(connection: Connection, live: Collection[str], at: datetime) -> int:
    """Of findings that are over there is nothing to close any more. `live`: keys of those that are not.
    Returns how many were withdrawn."""
    table = port_proposal
    waiting = connection.execute(select(table.c.breach).where(table.c.state == OPEN).distinct()).scalars()
    over = [breach for breach in waiting if breach not in live]
    if not over:
        return 0
    return connection.execute(
        update(table)
        .where(table.c.state == OPEN, table.c.breach.in_(over))
        .values(state=WITHDRAWN, decided_at=at)
    ).rowcount


def proposals_page(connection: Connection, states: Sequence[str], ask: PageAsk) -> Page[ProposalRow]:
    """Latest first."""
    table = port_proposal
    query = select(table)
    if states:
        query = query.where(table.c.state.in_(states))
    return fetch_page(
        connection, query, (Key(table.c.id, descending=True),), _row, ask, {"id": (Key(table.c.id),)}
    )


def _row(row: Row[Any]) -> ProposalRow:
    return ProposalRow(
        id=row.id,
        switch=row.switch_name,
        port=row.port_name,
        breach=row.breach,
        finding=row.finding_id,
        times_opened=row.times_opened,
        closings=row.closings,
        why=row.why,
        note=row.note,
        reopen_after_s=row.reopen_after_s,
        proposed_at=row.proposed_at,
        expires_at=row.expires_at,
        state=row.state,
        decided_at=row.decided_at,
        decided_by=row.decided_by,
        action=row.action_id,
    )
