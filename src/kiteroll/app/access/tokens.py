"""Tokens for programs, and the sessions that are open."""

import secrets
from collections.abc import Collection
from datetime import datetime

from kiteroll.app.access.access_book import AccessBook, digest_of
from kiteroll.clock import Clock
from kiteroll.core.access.principal import NotAllowed, Principal
from kiteroll.core.access.rights import Right
from kiteroll.core.errors import Invalid, NotFound
from kiteroll.store import tokens
from kiteroll.store.database import Database
from kiteroll.store.tokens import SessionRow, TokenRow

__all__ = ["SessionRow", "TokenRow", "Tokens"]

PREFIX = "kr-"
"""Tokens begin so: whoever finds one in a file knows what it is for."""


class Tokens:
    def __init__(self, database: Database, clock: Clock, book: AccessBook) -> None:
        self._database = database
        self._clock = clock
        self._book = book

    def all(self, principal: Principal) -> list[TokenRow]:
        """An administrator sees everybody's, others their own."""
        self._book.write_uses()
        rows = self._database.run(tokens.all_tokens)
        return [one for one in rows if _may_see(principal, one.account)]

    def get(self, principal: Principal, number: int) -> TokenRow:
        """Raises NotFound, also for those of others."""
        for row in self.all(principal):
            if row.id == number:
                return row
        raise NotFound("token", str(number), "`kiteroll token list` shows them")

    def add(
        self, principal: Principal, name: str, scopes: Collection[Right], expires_at: datetime | None
    ) -> tuple[TokenRow, str]:
        """For the principal's own account; the secret is shown this once. Raises NotAllowed for scopes the
        principal does not hold, Invalid or Conflict."""
        if missing := sorted(set(scopes) - principal.rights):
            raise NotAllowed(
                f"{principal.name} does not have the right {missing[0]!r}, so no token of theirs has"
            )
        if expires_at is not None and expires_at <= self._clock.now():
            raise Invalid("expires_at: it is in the past")
        secret = PREFIX + secrets.token_urlsafe(24)
        values = {
            "name": name,
            "token_hash": digest_of(secret),
            "scopes": {Right.VIEW, *scopes},
            "created_at": self._clock.now(),
            "expires_at": expires_at,
        }
        self._database.run(tokens.add_token, principal.account, values)
        self._book.reload()
        made = next(one for one in self.all(principal) if one.token_hash == values["token_hash"])
        return made, secret

    def revoke(self, principal: Principal, number: int) -> TokenRow:
        """Raises NotFound."""
        row = self.get(principal, number)
        self._database.run(tokens.revoke_token, number, self._clock.now())
        self._book.reload()
        return row

    def sessions(self, principal: Principal) -> list[SessionRow]:
        self._book.write_uses()
        rows = self._database.run(tokens.all_sessions, self._clock.now())
        return [one for one in rows if _may_see(principal, one.account)]

    def end_session(self, principal: Principal, number: int) -> SessionRow:
        """Raises NotFound, also for those of others."""
        for row in self.sessions(principal):
            if row.id == number:
                self._database.run(tokens.end_session, number)
                self._book.reload()
                return row
        raise NotFound("session", str(number), "it is over, or never was")


def _may_see(principal: Principal, account: int) -> bool:
    return account == principal.account or Right.ADMINISTER in principal.rights
