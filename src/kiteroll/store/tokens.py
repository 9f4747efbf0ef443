"""Tokens for programs and sessions of the console. What opens them is kept as a SHA-256 digest alone."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, bindparam, delete, insert, select, update
from sqlalchemy.exc import IntegrityError

from kiteroll.core.access.rights import Right
from kiteroll.core.errors import Conflict, NotFound
from kiteroll.store.tables import account, api_token, sign_in_session


@dataclass(frozen=True, slots=True, kw_only=True)
class TokenRow:
    id: int
    account: int
    owner: str
    name: str
    token_hash: str = field(repr=False)
    scopes: frozenset[Right]
    created_at: datetime
    expires_at: datetime | None
    last_used_at: datetime | None
    last_used_from: str
    revoked_at: datetime | None


@dataclass(frozen=True, slots=True, kw_only=True)
class SessionRow:
    id: int
    account: int
    owner: str
    token: int | None
    session_hash: str = field(repr=False)
    opened_at: datetime
    opened_from: str
    agent: str
    last_used_at: datetime
    expires_at: datetime


@dataclass(frozen=True, slots=True)
class Use:
    """When a token or a session was last used."""

    id: int
    at: datetime
    client: str


def all_tokens(connection: Connection) -> list[TokenRow]:
    """Also revoked ones; by owner and name."""
    query = select(api_token, account.c.name.label("owner")).join(account).order_by("owner", api_token.c.name)
    return [_token(row) for row in connection.execute(query)]


def add_token(connection: Connection, owner: int, values: Mapping[str, Any]) -> None:
    """`values`: name, token_hash, scopes, created_at, expires_at. Raises Conflict when the owner has one of
    that name; a revoked one gives way."""
    connection.execute(
        delete(sign_in_session).where(
            sign_in_session.c.token_id.in_(
                select(api_token.c.id).where(
                    api_token.c.account_id == owner,
                    api_token.c.name == values["name"],
                    api_token.c.revoked_at.is_not(None),
                )
            )
        )
    )
    connection.execute(
        delete(api_token).where(
            api_token.c.account_id == owner,
            api_token.c.name == values["name"],
            api_token.c.revoked_at.is_not(None),
        )
    )
    scopes = sorted(values["scopes"])
    try:
        connection.execute(
            insert(api_token).values(**{**values, "scopes": scopes}, account_id=owner, last_used_from="")
        )
    except IntegrityError as taken:
        raise Conflict(f"there is a token {values['name']!r} already: revoke it first") from taken


def revoke_token(connection: Connection, number: int, at: datetime) -> None:
    """And end the sessions that were opened with it."""
    connection.execute(
        update(api_token)
        .where(api_token.c.id == number, api_token.c.revoked_at.is_(None))
        .values(revoked_at=at)
    )
    connection.execute(delete(sign_in_session).where(sign_in_session.c.token_id == number))


def all_sessions(connection: Connection, now: datetime) -> list[SessionRow]:
    """Those that are not over, latest used first."""
    query = (
        select(sign_in_session, account.c.name.label("owner"))
        .join(account, account.c.id == sign_in_session.c.account_id)
        .where(sign_in_session.c.expires_at > now)
        .order_by(sign_in_session.c.last_used_at.desc())
    )
    return [_session(row) for row in connection.execute(query)]


def open_session(connection: Connection, values: Mapping[str, Any], most: int) -> None:
    """Ends what is over, and then the account's own used longest ago, until fewer than `most` are left."""
    table = sign_in_session
    connection.execute(delete(table).where(table.c.expires_at <= values["opened_at"]))
    own = select(table.c.id).where(table.c.account_id == values["account_id"])
    kept = connection.execute(own.order_by(table.c.last_used_at.desc())).scalars().all()
    if surplus := kept[most - 1 :]:
        connection.execute(delete(table).where(table.c.id.in_(surplus)))
    connection.execute(insert(table).values(**values))
    connection.execute(
        update(account).where(account.c.id == values["account_id"]).values(signed_in_at=values["opened_at"])
    )


def end_session(connection: Connection, number: int) -> None:
    """Raises NotFound."""
    if not connection.execute(delete(sign_in_session).where(sign_in_session.c.id == number)).rowcount:
        raise NotFound("session", str(number), "it is over, or never was")


def end_sessions_of(connection: Connection, owner: int, but: str | None = None) -> None:
    """`but`: digest of one that goes on."""
    connection.execute(
        delete(sign_in_session).where(
            sign_in_session.c.account_id == owner, sign_in_session.c.session_hash != (but or "")
        )
    )


def write_uses(connection: Connection, of_tokens: Sequence[Use], of_sessions: Sequence[Use]) -> None:
    if of_tokens:
        values: dict[str, Any] = {"last_used_at": bindparam("at"), "last_used_from": bindparam("client")}
        connection.execute(
            update(api_token).where(api_token.c.id == bindparam("number")).values(values),
            [{"number": one.id, "at": one.at, "client": one.client} for one in of_tokens],
        )
    if of_sessions:
        connection.execute(
            update(sign_in_session)
            .where(sign_in_session.c.id == bindparam("number"))
            .values(last_used_at=bindparam("at")),
            [{"number": one.id, "at": one.at} for one in of_sessions],
        )


def _token(row: Any) -> TokenRow:
    return TokenRow(
        id=row.id,
        account=row.account_id,
        owner=row.owner,
        name=row.name,
        token_hash=row.token_hash,
        scopes=frozenset(Right(one) for one in row.scopes),
        created_at=row.created_at,
        expires_at=row.expires_at,
        last_used_at=row.last_used_at,
        last_used_from=row.last_used_from,
        revoked_at=row.revoked_at,
    )


def _session(row: Any) -> SessionRow:
    return SessionRow(
        id=row.id,
        account=row.account_id,
        owner=row.owner,
        token=row.token_id,
        session_hash=row.session_hash,
        opened_at=row.opened_at,
        opened_from=row.opened_from,
        agent=row.agent,
        last_used_at=row.last_used_at,
        expires_at=row.expires_at,
    )
