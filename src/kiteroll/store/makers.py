"""The operator's own list of prefixes and their makers."""

from collections.abc import Mapping

from sqlalchemy import Connection, delete, select
from sqlalchemy.dialects.mysql import insert

from kiteroll.store.tables import maker_prefix


def all_makers(connection: Connection) -> dict[str, str]:
    """Prefix to maker, by prefix."""
    rows = connection.execute(select(maker_prefix).order_by(maker_prefix.c.prefix))
    return {prefix: maker for prefix, maker in rows}


def save_makers(connection: Connection, makers: Mapping[str, str]) -> None:
    """Adds them, or replaces those of the same prefix."""
    if makers:
        statement = insert(maker_prefix)
        rows = [{"prefix": prefix, "maker": maker} for prefix, maker in makers.items()]
        connection.execute(statement.on_duplicate_key_update(maker=statement.inserted.maker), rows)


def remove_maker(connection: Connection, prefix: str) -> bool:
    """Whether it was there."""
    done = connection.execute(delete(maker_prefix).where(maker_prefix.c.prefix == prefix))
    return done.rowcount > 0
