"""Accounts: who may sign in, with which role, and their passwords."""

import re
import secrets
from collections.abc import Iterable, Mapping
from typing import Any

from kiteroll.app.access.access_book import AccessBook
from kiteroll.app.access.passwords import Passwords
from kiteroll.app.inventory_names import InventoryNames
from kiteroll.clock import Clock
from kiteroll.core.access.principal import NotAllowed, Principal
from kiteroll.core.errors import Invalid
from kiteroll.store import accounts, tokens
from kiteroll.store.accounts import AccountRow
from kiteroll.store.database import Database

__all__ = ["AccountRow", "Accounts"]

_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9._@-]{0,63}")


class Accounts:
    def __init__(self, database: Database, clock: Clock, passwords: Passwords, book: AccessBook) -> None:
        self._database = database
        self._clock = clock
        self._passwords = passwords
        self._book = book

    def all(self) -> list[AccountRow]:
        return self._database.run(accounts.all_accounts)

    def get(self, name: str) -> AccountRow:
        """Raises NotFound."""
        return self._database.run(accounts.get_account, name)

    def add(
        self, name: str, values: Mapping[str, Any], password: str | None
    ) -> tuple[AccountRow, str | None]:
        """`password`: None makes an initial one, which is returned and has to be changed; with an
        `openid_subject` there is none. Raises Invalid or Conflict."""
        if not _NAME.fullmatch(name):
            raise Invalid(
                f"name: {name!r} is not letters, digits, dots, dashes, underscores and @, at most 64"
            )
        if sites := values.get("sites"):
            self._check_sites(sites)
        made = None
        if password is None and values.get("openid_subject") is None:
            password = made = secrets.token_urlsafe(12)
        columns = {**values, "must_change_password": made is not None}
        if password is not None:
            columns["password_hash"] = self._passwords.hash(password, name if made is None else "")
        row = self._database.run(accounts.add_account, name, columns, self._clock.now())
        self._book.reload()
        return row, made

    def change(self, name: str, values: Mapping[str, Any]) -> AccountRow:
        """What is not in `values` stays. Ends the sessions of one that is disabled. Raises NotFound, Invalid
        or Conflict."""
        if sites := values.get("sites"):
            before = self.get(name).sites or ()
            self._check_sites(one for one in sites if one not in before)
        row = self._database.run(accounts.change_account, name, values)
        if not row.enabled:
            self._database.run(tokens.end_sessions_of, row.id)
        self._book.reload()
        return row

    def _check_sites(self, sites: Iterable[str]) -> None:
        InventoryNames.read(self._database).check_value("sites", sites=sites)

    def remove(self, name: str) -> None:
        """Raises NotFound or Conflict."""
        self._database.run(accounts.remove_account, name)
        self._book.reload()

    def reset_password(self, name: str) -> str:
        """A new initial password, which has to be changed at the next sign-in. Ends all sessions. Raises
        NotFound."""
        row, made = self.get(name), secrets.token_urlsafe(12)
        values = {"password_hash": self._passwords.hash(made, ""), "must_change_password": True}
        self._database.run(accounts.change_account, name, values)
        self._database.run(tokens.end_sessions_of, row.id)
        self._book.reload()
        return made

    def change_own_password(self, principal: Principal, before: str, after: str) -> None:
        """Ends the other sessions. Raises NotAllowed when `before` is not the password, Invalid for one that
        is easily guessed."""
        row = self.get(principal.name)
        if not self._passwords.fits(before, row.password_hash):
            raise NotAllowed("this is not the present password")
        if before == after:
            raise Invalid("password: choose another than the present one")
        values = {"password_hash": self._passwords.hash(after, row.name), "must_change_password": False}
        self._database.run(accounts.change_account, row.name, values)
        self._database.run(tokens.end_sessions_of, row.id, principal.session)
        self._book.reload()
