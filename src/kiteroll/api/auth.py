"""Authentication: by the token of the service, as a bearer or through a session opened with it."""

import hmac
import secrets
import threading
from pathlib import Path
from typing import Annotated

from fastapi import Depends
from fastapi.security import APIKeyCookie, HTTPBearer

from kiteroll.api.refusals import NotSignedIn, TooManyTries
from kiteroll.api.sessions import Sessions
from kiteroll.clock import Clock
from kiteroll.core.errors import ConfigError
from kiteroll.core.scheduling.rate_limit import RateLimit
from kiteroll.data_dir import TOKEN_FILE
from kiteroll.private_file import write_private

COOKIE = "kiteroll_session"
_TRIES = 10
_SECONDS_A_TRY = 10.0
"""Wrong tokens of one address: so many at once, then one in so many seconds."""

_bearer = HTTPBearer(auto_error=False, description="the token of the service's token file")
_cookie = APIKeyCookie(name=COOKIE, auto_error=False, description="a session, opened with the token")


class TokenAuth:
    def __init__(self, data_dir: Path, clock: Clock) -> None:
        """Reads the token, or writes a new one to a file only its owner can read. Raises ConfigError."""
        self.token_file = data_dir / TOKEN_FILE
        try:
            if not self.token_file.exists():
                write_private(self.token_file, secrets.token_urlsafe(24))
            self._token = self.token_file.read_text().strip()
        except OSError as wrong:
            raise ConfigError(
                str(self.token_file), (f"the token file cannot be used: {wrong.strerror}",)
            ) from wrong
        if not self._token:
            raise ConfigError(
                str(self.token_file), ("it is empty: remove it, and a new one is written at start",)
            )
        self._clock = clock
        self._sessions = Sessions(data_dir / "sessions.json", self._token, clock)
        self._wrong = RateLimit(burst=_TRIES, per_second=1 / _SECONDS_A_TRY)
        self._lock = threading.Lock()

    def sign_in(self, token: str, client: str) -> str:
        """A new session. Raises NotSignedIn, or TooManyTries: then not even the right token is looked at."""
        with self._lock:
            if wait_s := self._wrong.wait_s(client, self._clock.monotonic()):
                raise TooManyTries(wait_s)
        if not self._is_token(token):
            self._count_wrong(client)
            raise NotSignedIn(
                f"this is not the token: it is in the file {self.token_file.name} of the service's data "
                "directory"
            )
        return self._sessions.open()

    def sign_out(self, session: str) -> None:
        self._sessions.end(session)

    def is_signed_in(self, session: str) -> bool:
        return self._sessions.is_open(session)

    def check(self, authorization: str | None, session: str | None, client: str) -> None:
        """Raises NotSignedIn, or TooManyTries after wrong ones. `authorization`: the header."""
        if authorization is not None:
            scheme, _, offered = authorization.partition(" ")
            if scheme.lower() == "bearer" and self._is_token(offered):
                return
            self._count_wrong(client)
            raise NotSignedIn(
                "the token is not that of this service: see the file `token` in its data directory"
            )
        if session is not None and self._sessions.is_open(session):
            return
        raise NotSignedIn(
            "the session has ended: sign in again"
            if session is not None
            else "the call has no token: send `Authorization: Bearer TOKEN`, or open a session with it"
        )

    def _is_token(self, offered: str) -> bool:
        return hmac.compare_digest(offered.strip().encode(), self._token.encode())

    def _count_wrong(self, client: str) -> None:
        with self._lock:
            now = self._clock.monotonic()
            if not self._wrong.allows(client, now):
                raise TooManyTries(self._wrong.wait_s(client, now))


async def documented(
    bearer: Annotated[object, Depends(_bearer)], cookie: Annotated[str | None, Depends(_cookie)]
) -> None:
    """Tells the OpenAPI document how calls are authenticated. They are in `request_gate`, before their body
    is read."""
