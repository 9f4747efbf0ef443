"""Databases filled inside the server, where sequences become rows: minutes instead of hours."""

from collections.abc import Sequence
from pathlib import Path

from sqlalchemy import text

from kiteroll.store import tables
from kiteroll.store.database import Database
from kiteroll.store.migrate import migrate
from kiteroll.store.private_server import PrivateServer


def fill(directory: Path, statements: Sequence[str], revision: str = "head") -> None:
    """A private database in `directory` with the tables of a revision, after these statements."""
    server = PrivateServer(directory)
    database = Database(server.start(), pool_size=2, answer_s=3600)
    try:
        migrate(database, revision)
        # Indexes are sorted once at the end: kept up row by row, each row goes to as many odd pages.
        indexes = sorted(tables.stay.indexes, key=lambda index: str(index.name))
        with database.engine.begin() as connection:
            connection.execute(text("SET SESSION unique_checks = 0, foreign_key_checks = 0"))
            for index in indexes:
                index.drop(connection)
            for statement in statements:
                connection.execute(text(statement))
            for index in indexes:
                index.create(connection)
        with database.engine.connect() as connection:
            # A database that grew has statistics of its tables; one that was filled at once has none.
            names = ", ".join(table.name for table in tables.metadata.sorted_tables)
            connection.execute(text(f"ANALYZE TABLE {names}")).all()
    finally:
        database.close()
        server.stop()
