"""Answers to calls with an idempotency key, kept for a day."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import Connection, delete, select, update
from sqlalchemy.dialects.mysql import insert

from kiteroll.store.tables import kept_answer

KEPT = timedelta(hours=24)


@dataclass(frozen=True, slots=True)
class KeptAnswer:
    request_digest: str
    began_at: datetime
    status: int | None
    """None: it is being worked on, or was cut off."""
    location: str
    media_type: str
    sealed: bytes | None


def claim(connection: Connection, key_digest: str, request_digest: str, now: datetime) -> KeptAnswer | None:
    """Enter a call that begins. Where the key was used before, nothing is entered, and what is known of that
    call comes back."""
    connection.execute(delete(kept_answer).where(kept_answer.c.began_at < now - KEPT))
    values = {"key_digest": key_digest, "request_digest": request_digest, "began_at": now}
    entered = connection.execute(insert(kept_answer).values(values).prefix_with("IGNORE"))
    if entered.rowcount == 1:
        return None
    row = connection.execute(select(kept_answer).where(kept_answer.c.key_digest == key_digest)).one()
    return KeptAnswer(row.request_digest, row.began_at, row.status, row.location, row.media_type, row.sealed)


def save(
    connection: Connection, key_digest: str, status: int, location: str, media_type: str, sealed: bytes | None
) -> None:
    """`sealed`: None for an answer that is too large to keep."""
    values = {"status": status, "location": location, "media_type": media_type, "sealed": sealed}
    connection.execute(update(kept_answer).where(kept_answer.c.key_digest == key_digest).values(values))


def give_up(connection: Connection, key_digest: str) -> None:
    """The call was not carried out: the key may be used again."""
    connection.execute(delete(kept_answer).where(kept_answer.c.key_digest == key_digest))
