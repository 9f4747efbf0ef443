"""Authentication: by the token of the service, as a bearer or through a session opened with it."""

import hmac
import secrets
from pathlib import Path
from typing import Annotated

from fastapi import Depends, Request
from fastapi.security import APIKeyCookie, HTTPBearer
from itsdangerous import BadSignature, URLSafeTimedSerializer

from kiteroll.core.errors import ConfigError, KiteRollError
from kiteroll.data_dir import TOKEN_FILE
from kiteroll.private_file import write_private

COOKIE = "kiteroll_session"
SESSION_S = 12 * 3600

_bearer = HTTPBearer(auto_error=False, description="the token of the service's token file")
_cookie = APIKeyCookie(name=COOKIE, auto_error=False, description="a session, opened with the token")


class NotSignedIn(KiteRollError):
    code = "not_signed_in"


class TokenAuth:
    def __init__(self, data_dir: Path) -> None:
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
        # Signed with the token itself: a new token ends every session.
        self._sessions = URLSafeTimedSerializer(self._token, salt="console-session")

    def is_token(self, offered: str) -> bool:
        return hmac.compare_digest(offered.strip().encode(), self._token.encode())

    def new_session(self) -> str:
        return self._sessions.dumps(secrets.token_urlsafe(9))

    def is_session(self, offered: str) -> bool:
        try:
            self._sessions.loads(offered, max_age=SESSION_S)
        except BadSignature:
            return False
        return True


async def signed_in(
    request: Request,
    bearer: Annotated[object, Depends(_bearer)],
    cookie: Annotated[str | None, Depends(_cookie)],
) -> None:
    """Dependency of every call but signing in. Raises NotSignedIn."""
    auth: TokenAuth = request.app.state.parts[TokenAuth]
    token = getattr(bearer, "credentials", None)
    if token is not None:
        if auth.is_token(token):
            return
        raise NotSignedIn("the token is not that of this service: see the file `token` in its data directory")
    if cookie is not None and auth.is_session(cookie):
        return
    raise NotSignedIn(
        "the session has ended: sign in again"
        if cookie is not None
        else "the call has no token: send `Authorization: Bearer TOKEN`, or open a session with it"
    )
