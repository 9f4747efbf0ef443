"""Who is behind a token or a session: kept in memory, so that no call waits for the database to know."""

import threading
from dataclasses import dataclass, field
from hashlib import sha256

from sqlalchemy import Connection

from kiteroll.clock import Clock
from kiteroll.core.access.principal import Principal
from kiteroll.core.access.rights import narrowed, rights_of
from kiteroll.store import accounts, tokens
from kiteroll.store.accounts import AccountRow
from kiteroll.store.database import Database
from kiteroll.store.tokens import SessionRow, TokenRow, Use

RELOAD_S = 30.0
"""How often uses are written, and the book is read anew: what another instance changed holds then."""


def digest_of(secret: str) -> str:
    """Secrets of 192 random bits and more need no slow digest."""
    return sha256(secret.strip().encode()).hexdigest()


@dataclass(slots=True)
class _Pages:
    accounts: dict[int, AccountRow] = field(default_factory=dict)
    tokens: dict[str, TokenRow] = field(default_factory=dict)
    """By digest."""
    token_by_id: dict[int, TokenRow] = field(default_factory=dict)
    sessions: dict[str, SessionRow] = field(default_factory=dict)


class AccessBook:
    def __init__(self, database: Database, clock: Clock) -> None:
        self._database = database
        self._clock = clock
        self._pages = _Pages()
        self._lock = threading.Lock()
        self._token_uses: dict[int, Use] = {}
        self._session_uses: dict[int, Use] = {}

    def reload(self) -> None:
        with self._lock:
            self._pages = self._database.run(self._read)

    def of_token(self, secret: str, client: str) -> Principal | None:
        """None: no such token, or it is revoked, over, or of a disabled account."""
        pages = self._pages
        token = pages.tokens.get(digest_of(secret))
        if token is None or not self._is_valid(token):
            return None
        self._token_uses[token.id] = Use(token.id, self._clock.now(), client[:64])
        return self._principal(pages.accounts.get(token.account), token, None)

    def of_session(self, secret: str) -> Principal | None:
        """None: it is over."""
        pages, digest = self._pages, digest_of(secret)
        session = pages.sessions.get(digest)
        if session is None or session.expires_at <= self._clock.now():
            return None
        token = None if session.token is None else pages.token_by_id.get(session.token)
        if session.token is not None and (token is None or not self._is_valid(token)):
            return None
        self._session_uses[session.id] = Use(session.id, self._clock.now(), "")
        return self._principal(pages.accounts.get(session.account), token, digest)

    def token_id(self, secret: str) -> int | None:
        token = self._pages.tokens.get(digest_of(secret))
        return None if token is None else token.id

    def session_of(self, principal: Principal) -> SessionRow | None:
        return self._pages.sessions.get(principal.session or "")

    def write_uses(self) -> None:
        """When each was last used. What could not be written waits for the next time."""
        of_tokens, self._token_uses = self._token_uses, {}
        of_sessions, self._session_uses = self._session_uses, {}
        try:
            if of_tokens or of_sessions:
                uses = (tuple(of_tokens.values()), tuple(of_sessions.values()))
                self._database.run(tokens.write_uses, *uses)
        except BaseException:
            self._token_uses = of_tokens | self._token_uses
            self._session_uses = of_sessions | self._session_uses
            raise

    def refresh(self) -> None:
        self.write_uses()
        self.reload()

    def _is_valid(self, token: TokenRow) -> bool:
        over = token.expires_at is not None and token.expires_at <= self._clock.now()
        return token.revoked_at is None and not over

    def _principal(
        self, account: AccountRow | None, token: TokenRow | None, session: str | None
    ) -> Principal | None:
        if account is None or not account.enabled:
            return None
        held = rights_of(account.role, acts_on_ports=account.acts_on_ports)
        return Principal(
            account=account.id,
            name=account.name,
            role=account.role,
            rights=held if token is None else narrowed(held, token.scopes),
            sites=account.sites,
            token=None if token is None else token.name,
            must_change_password=account.must_change_password and token is None,
            session=session,
        )

    def _read(self, connection: Connection) -> _Pages:
        rows = tokens.all_tokens(connection)
        return _Pages(
            accounts={one.id: one for one in accounts.all_accounts(connection)},
            tokens={one.token_hash: one for one in rows},
            token_by_id={one.id: one for one in rows},
            sessions={one.session_hash: one for one in tokens.all_sessions(connection, self._clock.now())},
        )
