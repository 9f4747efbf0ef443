"""Every column that holds something sealed."""

from collections.abc import Callable

from sqlalchemy import Connection, select, update

from kiteroll.store.tables import alert_target, credential, kept_answer, switch

_COLUMNS = (credential.c.sealed, switch.c.credential_sealed, alert_target.c.sealed, kept_answer.c.sealed)


def seal_all_again(connection: Connection, again: Callable[[bytes], bytes]) -> int:
    """In one transaction; returns how many."""
    count = 0
    for column in _COLUMNS:
        table = column.table
        (key,) = table.primary_key
        query = select(key, column).where(column.is_not(None)).with_for_update()
        for value, sealed in connection.execute(query).all():
            connection.execute(update(table).where(key == value).values({column.name: again(sealed)}))
            count += 1
    return count
