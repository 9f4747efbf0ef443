"""Migrates a database to the tables of this version. Runs at every start; safe to rerun."""

import logging
from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Connection
from sqlalchemy.engine import URL
from sqlalchemy.exc import DBAPIError

from kiteroll.core.errors import Conflict
from kiteroll.store.database import Database
from kiteroll.store.dump import check_whole

log = logging.getLogger(__name__)
_LONGEST_STATEMENT_S = 6 * 3600
"""A table of many years may be rewritten by one."""
MIGRATIONS = Path(__file__).with_name("migrations")


def bring_up_to_date(url: str | URL) -> None:
    """Migrate a database that may be large, however long its server takes. Raises what `migrate` raises, and
    ConfigError for no URL of a database."""
    database = Database(url, pool_size=1, overflow=0, answer_s=_LONGEST_STATEMENT_S)
    try:
        migrate(database)
    finally:
        database.close()


def migrate(database: Database, revision: str = "head") -> None:
    """To `revision`, which is that of this version but in tests. MariaDB commits each statement on its own,
    so every step may be run again: what was cut off goes on.

    Raises StorageUnavailable, or Conflict when the database is of a newer version than this, or a restore
    into it was cut off."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    known = known_revisions()
    database.run(check_whole)
    current = database.run(revision_of)
    if current is not None and current not in known:
        raise Conflict(_newer(database, current))
    if current is not None and current != ScriptDirectory.from_config(config).get_current_head():
        # Whoever waits for the start is told why it takes long.
        log.warning(
            "brings the tables to this version", extra={"event": "database.migrating", "from": current}
        )
    config.attributes["engine"] = database.engine
    try:
        command.upgrade(config, revision)
    except DBAPIError as error:
        raise database.translated(error, "migrate") from error


def tables_differ(database: Database) -> str:
    """Why a service of this version cannot use the tables yet; empty: it can. Raises StorageUnavailable, or
    Conflict when they are of a newer version."""
    current = database.run(revision_of)
    latest = ScriptDirectory(str(MIGRATIONS)).get_current_head()
    if current == latest:
        return ""
    if current is not None and current not in known_revisions():
        raise Conflict(_newer(database, current))
    return f"the tables at {database.shown_url} are not those of this version yet"


def _newer(database: Database, revision: str) -> str:
    return (
        f"the database at {database.shown_url} was made by a newer Kite Roll (its tables are at "
        f"revision {revision}, which this version does not know): start the newer version"
    )


def known_revisions() -> set[str]:
    """Of tables that this version can bring up to date."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    return {script.revision for script in ScriptDirectory.from_config(config).walk_revisions()}


def revision_of(connection: Connection) -> str | None:
    """Of the tables that are there; None when there are none."""
    return MigrationContext.configure(connection).get_current_revision()
