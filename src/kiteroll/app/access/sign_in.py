"""Signing in: with name and password, with a token, or as somebody an OpenID Connect provider vouches for."""

import secrets
import threading
from datetime import timedelta

from kiteroll.app.access.access_book import AccessBook, digest_of
from kiteroll.app.access.passwords import Passwords
from kiteroll.clock import Clock
from kiteroll.core.access.principal import Principal
from kiteroll.core.errors import KiteRollError, NotFound
from kiteroll.core.scheduling.rate_limit import RateLimit
from kiteroll.store import accounts, tokens
from kiteroll.store.accounts import AccountRow
from kiteroll.store.database import Database

SESSION = timedelta(hours=12)
_SESSIONS_AT_ONCE = 20
"""Of one account."""
_TRIES = 10
_SECONDS_A_TRY = 10.0
"""Wrong tries from one address, or at one name: so many at once, then one in so many seconds."""


class NotSignedIn(KiteRollError):
    code = "not_signed_in"


class TooManyTries(KiteRollError):
    code = "too_many_tries"

    def __init__(self, wait_s: float) -> None:
        super().__init__(wait_s)
        self.wait_s = wait_s

    def __str__(self) -> str:
        return f"too many wrong tries: wait {self.wait_s:.0f} s, then try once more"


class SignIn:
    def __init__(self, database: Database, clock: Clock, passwords: Passwords, book: AccessBook) -> None:
        self._database = database
        self._clock = clock
        self._passwords = passwords
        self._book = book
        self._wrong = RateLimit(burst=_TRIES, per_second=1 / _SECONDS_A_TRY)
        self._lock = threading.Lock()

    # --- single calls ---------------------------------------------------------------------

    def check(self, authorization: str | None, session: str | None, client: str) -> Principal:
        """Who makes a call. `authorization`: the header; `session`: the cookie. Raises NotSignedIn, or
        TooManyTries after wrong ones."""
        if (found := self.known(authorization, session, client)) is not None:
            return found
        if authorization is not None:
            self._count_wrong(client)
            raise NotSignedIn("the token is unknown, revoked or expired: `kiteroll token list` shows yours")
        raise NotSignedIn(
            "the session has ended: sign in again"
            if session is not None
            else "the call has no token: send `Authorization: Bearer TOKEN`, or open a session"
        )

    def known(self, authorization: str | None, session: str | None, client: str) -> Principal | None:
        """The same; None for somebody who is not known."""
        if authorization is not None:
            scheme, _, offered = authorization.partition(" ")
            return self._book.of_token(offered, client) if scheme.lower() == "bearer" else None
        return None if session is None else self._book.of_session(session)

    # --- sessions -------------------------------------------------------------------------

    def with_password(self, name: str, password: str, client: str, agent: str) -> tuple[str, Principal]:
        """A new session, and whose it is. Raises NotSignedIn, or TooManyTries: then not even the right
        password is looked at."""
        keys = (client, f"name {name.casefold()}")
        self._check_tries(*keys)
        try:
            row = self._database.run(accounts.get_account, name)
        except NotFound:
            row = None
        fits = self._passwords.fits(password, row.password_hash if row else None)
        if row is None or not fits or not row.enabled:
            self._count_wrong(*keys)
            raise NotSignedIn("name and password do not fit together, or the account is disabled")
        return self._open(row.id, None, client, agent)

    def with_token(self, token: str, client: str, agent: str) -> tuple[str, Principal]:
        """A session that may what the token may. Raises NotSignedIn or TooManyTries."""
        self._check_tries(client)
        found = self._book.of_token(token, client)
        if found is None:
            self._count_wrong(client)
            raise NotSignedIn("this is no token of this service, or it is revoked or expired")
        return self._open(found.account, self._book.token_id(token), client, agent)

    def vouched_for(self, row: AccountRow, client: str, agent: str) -> tuple[str, Principal]:
        """For somebody whom the OpenID Connect provider knows. Raises NotSignedIn for a disabled account."""
        if not row.enabled:
            raise NotSignedIn(f"the account {row.name} is disabled: an administrator can enable it")
        return self._open(row.id, None, client, agent)

    def sign_out(self, principal: Principal) -> None:
        session = self._book.session_of(principal)
        if session is not None:
            self._database.run(tokens.end_session, session.id)
            self._book.reload()

    def of_session(self, session: str) -> Principal | None:
        return self._book.of_session(session)

    def _open(self, account: int, token: int | None, client: str, agent: str) -> tuple[str, Principal]:
        secret, now = secrets.token_urlsafe(32), self._clock.now()
        values = {
            "account_id": account,
            "token_id": token,
            "session_hash": digest_of(secret),
            "opened_at": now,
            "opened_from": client[:64],
            "agent": agent[:255],
            "last_used_at": now,
            "expires_at": now + SESSION,
        }
        self._database.run(tokens.open_session, values, _SESSIONS_AT_ONCE)
        self._book.reload()
        found = self._book.of_session(secret)
        if found is None:
            raise NotSignedIn("the account was disabled meanwhile")
        return secret, found

    # --- wrong tries ----------------------------------------------------------------------

    def _check_tries(self, *keys: str) -> None:
        with self._lock:
            for key in keys:
                if wait_s := self._wrong.wait_s(key, self._clock.monotonic()):
                    raise TooManyTries(wait_s)

    def _count_wrong(self, *keys: str) -> None:
        with self._lock:
            now = self._clock.monotonic()
            for key in keys:
                if not self._wrong.allows(key, now):
                    raise TooManyTries(self._wrong.wait_s(key, now))
