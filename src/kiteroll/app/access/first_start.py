"""The first administrator, and the token of this machine.

Whoever can write the data directory holds the keys of the service anyway. So the way back in, for somebody
who lost it, is to remove the token file: a new one is written at the next start, for an administrator that
is made or enabled again.
"""

import logging
import secrets
import socket
from datetime import datetime
from pathlib import Path

from sqlalchemy import Connection

from kiteroll.app.access.access_book import digest_of
from kiteroll.app.access.passwords import Passwords
from kiteroll.app.access.tokens import PREFIX
from kiteroll.app.logs import fields
from kiteroll.clock import Clock
from kiteroll.core.access.rights import Right, Role
from kiteroll.core.errors import ConfigError, NotFound
from kiteroll.data_dir import FIRST_PASSWORD_FILE, TOKEN_FILE
from kiteroll.private_file import write_private
from kiteroll.store import accounts, audit, tokens
from kiteroll.store.database import Database

log = logging.getLogger(__name__)
ADMINISTRATOR = "admin"


def ensure_way_in(database: Database, clock: Clock, data_dir: Path, passwords: Passwords) -> None:
    """Makes what is missing of the first administrator, their initial password, and the machine's token;
    the two are written to files only their owner can read. Raises ConfigError."""
    token_file, now = data_dir / TOKEN_FILE, clock.now()
    try:
        known = {one.name: one for one in database.run(accounts.all_accounts)}
        if not known:
            initial = secrets.token_urlsafe(12)
            write_private(data_dir / FIRST_PASSWORD_FILE, initial)
            values = {
                "role": Role.ADMINISTRATOR,
                "full_name": "First administrator",
                "password_hash": passwords.hash(initial, ""),
                "must_change_password": True,
            }
            database.run(accounts.add_account, ADMINISTRATOR, values, now)
        elif not any(one.must_change_password for one in known.values() if one.name == ADMINISTRATOR):
            (data_dir / FIRST_PASSWORD_FILE).unlink(missing_ok=True)  # it is not the password any more
        if not token_file.exists():
            write_private(token_file, PREFIX + secrets.token_urlsafe(24))
            database.run(_renew, digest_of(_read(token_file)), now)
            if known:
                warning = (
                    "the token file was missing: a new one is written, for the administrator of this machine"
                )
                log.warning(warning, extra=fields("access.recovered"))
                database.run(_note_recovered, warning, now)
        elif digest_of(_read(token_file)) not in {one.token_hash for one in database.run(tokens.all_tokens)}:
            database.run(_renew, digest_of(_read(token_file)), now)
    except OSError as wrong:
        raise ConfigError(str(token_file), (f"the token file cannot be used: {wrong.strerror}",)) from wrong


def _read(file: Path) -> str:
    token = file.read_text().strip()
    if not token:
        raise ConfigError(str(file), ("it is empty: remove it, and a new one is written at start",))
    return token


def _renew(connection: Connection, digest: str, at: datetime) -> None:
    """The machine's token is the one with this digest, of an administrator that is there and enabled."""
    as_it_must_be = {"role": Role.ADMINISTRATOR, "enabled": True, "sites": None}
    try:
        owner = accounts.change_account(connection, ADMINISTRATOR, as_it_must_be)
    except NotFound:
        owner = accounts.add_account(connection, ADMINISTRATOR, as_it_must_be, at)
    name = f"machine {socket.gethostname()}"[:64]
    for one in tokens.all_tokens(connection):
        if one.account == owner.id and one.name == name:
            tokens.revoke_token(connection, one.id, at)
    # Acting on ports is its owner's only once somebody grants it to that account.
    values = {"name": name, "token_hash": digest, "scopes": set(Right), "created_at": at}
    tokens.add_token(connection, owner.id, {**values, "expires_at": None})


def _note_recovered(connection: Connection, note: str, at: datetime) -> None:
    audit.append_own(connection, at, "token.recover", ADMINISTRATOR, via="start", note=note)
