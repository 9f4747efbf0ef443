"""Accounts of people: who may sign in, and what they may do then."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, delete, func, insert, select, update
from sqlalchemy.exc import IntegrityError

from kiteroll.core.access.rights import Role
from kiteroll.core.errors import Conflict
from kiteroll.core.model.nearest import no_such
from kiteroll.store.tables import account, api_token, sign_in_session


@dataclass(frozen=True, slots=True, kw_only=True)
class AccountRow:
    id: int
    name: str
    full_name: str
    role: Role
    acts_on_ports: bool
    sites: frozenset[str] | None
    """None: all."""
    password_hash: str | None = field(repr=False)
    openid_subject: str | None
    must_change_password: bool
    enabled: bool
    created_at: datetime
    signed_in_at: datetime | None


def all_accounts(connection: Connection) -> list[AccountRow]:
    """By name."""
    return [_row(one) for one in connection.execute(select(account).order_by(account.c.name))]


def get_account(connection: Connection, name: str) -> AccountRow:
    """Raises NotFound."""
    row = connection.execute(select(account).where(account.c.name == name)).first()
    if row is None:
        raise no_such("user", name, connection.execute(select(account.c.name)).scalars())
    return _row(row)


def add_account(connection: Connection, name: str, values: Mapping[str, Any], at: datetime) -> AccountRow:
    """`values`: columns. Raises Conflict when the name or the subject is taken."""
    given = {"full_name": "", "acts_on_ports": False, "must_change_password": False, "enabled": True}
    try:
        connection.execute(insert(account).values(**{**given, **_plain(values)}, name=name, created_at=at))
    except IntegrityError as taken:
        raise Conflict(f"there is a user {name!r} already") from taken
    return get_account(connection, name)


def change_account(connection: Connection, name: str, values: Mapping[str, Any]) -> AccountRow:
    """Raises NotFound, or Conflict when nobody would administer."""
    row = get_account(connection, name)
    if values:
        connection.execute(update(account).where(account.c.id == row.id).values(**_plain(values)))
    _check_administrators(connection)
    return get_account(connection, name)


def remove_account(connection: Connection, name: str) -> None:
    """With its tokens and sessions. Raises NotFound, or Conflict when nobody would administer."""
    row = get_account(connection, name)
    for table in (sign_in_session, api_token):
        connection.execute(delete(table).where(table.c.account_id == row.id))
    connection.execute(delete(account).where(account.c.id == row.id))
    _check_administrators(connection)


def _check_administrators(connection: Connection) -> None:
    query = select(func.count()).where(
        account.c.role == Role.ADMINISTRATOR, account.c.enabled.is_(True), account.c.sites.is_(None)
    )
    if not connection.execute(query).scalar_one():
        raise Conflict(
            "nobody would be left who administers every site: make another user an administrator first"
        )


def _plain(values: Mapping[str, Any]) -> dict[str, Any]:
    plain = dict(values)
    if plain.get("sites") is not None:
        plain["sites"] = sorted(plain["sites"])
    return plain


def _row(row: Any) -> AccountRow:
    return AccountRow(
        id=row.id,
        name=row.name,
        full_name=row.full_name,
        role=Role(row.role),
        acts_on_ports=row.acts_on_ports,
        sites=None if row.sites is None else frozenset(row.sites),
        password_hash=row.password_hash,
        openid_subject=row.openid_subject,
        must_change_password=row.must_change_password,
        enabled=row.enabled,
        created_at=row.created_at,
        signed_in_at=row.signed_in_at,
    )
