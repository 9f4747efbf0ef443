"""Named credentials, encrypted, each shared by any number of switches."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Row, Select, func, insert, or_, select, update
from sqlalchemy.exc import IntegrityError

from kiteroll.core.errors import Conflict
from kiteroll.core.model.nearest import no_such
from kiteroll.store.tables import credential, switch


@dataclass(frozen=True, slots=True, kw_only=True)
class CredentialRow:
    id: int
    name: str
    kind: str
    """What may be shown of it: version, user name, security level."""
    sealed: bytes
    added_at: datetime
    used_by: int
    """Switches in the inventory that are read or written with it."""


def add_credential(
    connection: Connection, at: datetime, name: str, kind: str, sealed: bytes
) -> CredentialRow:
    """Raises Conflict when the name is taken."""
    try:
        connection.execute(insert(credential).values(name=name, kind=kind, sealed=sealed, added_at=at))
    except IntegrityError as taken:
        raise Conflict(
            f"there is a credential {name!r} already: change that one, or choose another name"
        ) from taken
    return get_credential(connection, name)


def change_credential(connection: Connection, name: str, kind: str, sealed: bytes) -> CredentialRow:
    """Raises NotFound."""
    row = get_credential(connection, name)
    connection.execute(update(credential).where(credential.c.id == row.id).values(kind=kind, sealed=sealed))
    connection.execute(update(switch).where(switch.c.credential_id == row.id).values(credential_kind=kind))
    return get_credential(connection, name)


def remove_credential(connection: Connection, name: str) -> None:
    """Raises NotFound, or Conflict while switches use it."""
    row = get_credential(connection, name)
    if row.used_by:
        raise Conflict(
            f"the credential {name!r} is used by {row.used_by} switches: give them another one first"
        )
    # Switches that left the inventory may still point to it.
    for column in (switch.c.credential_id, switch.c.write_credential_id):
        connection.execute(update(switch).where(column == row.id).values({column.name: None}))
    connection.execute(credential.delete().where(credential.c.id == row.id))


def get_credential(connection: Connection, name: str) -> CredentialRow:
    row = connection.execute(_counted().where(credential.c.name == name)).one_or_none()
    if row is None:
        raise no_such("credential", name, connection.execute(select(credential.c.name)).scalars())
    return _row(row)


def all_credentials(connection: Connection) -> list[CredentialRow]:
    return [_row(row) for row in connection.execute(_counted().order_by(credential.c.name))]


def _counted() -> Select[Any]:
    used = (
        select(func.count())
        .where(
            or_(switch.c.credential_id == credential.c.id, switch.c.write_credential_id == credential.c.id),
            switch.c.removed_at.is_(None),
        )
        .scalar_subquery()
    )
    return select(credential, used.label("used_by"))


def _row(row: Row[Any]) -> CredentialRow:
    return CredentialRow(**{name: getattr(row, name) for name in CredentialRow.__dataclass_fields__})
