"""Who may do what, who they are, and what they did."""

from dataclasses import dataclass

from kiteroll.app.access.access_book import AccessBook
from kiteroll.app.access.accounts import Accounts
from kiteroll.app.access.audit_log import AuditLog
from kiteroll.app.access.first_start import ensure_way_in
from kiteroll.app.access.openid_provider import OpenIdProvider
from kiteroll.app.access.openid_sign_in import CALLBACK as OPENID_CALLBACK
from kiteroll.app.access.openid_sign_in import OpenIdSignIn
from kiteroll.app.access.passwords import Passwords
from kiteroll.app.access.sign_in import SignIn
from kiteroll.app.access.tokens import Tokens
from kiteroll.app.config import Config
from kiteroll.app.key_rotation import KeyRotation
from kiteroll.app.parts.basis import Basis
from kiteroll.app.storage import Storage
from kiteroll.clock import Clock


@dataclass(frozen=True, slots=True, kw_only=True)
class AccessParts:
    book: AccessBook
    sign_in: SignIn
    accounts: Accounts
    tokens: Tokens
    openid: OpenIdSignIn
    audit: AuditLog
    key_rotation: KeyRotation


def build_access(basis: Basis) -> AccessParts:
    """Where nobody could sign in yet, makes a way in, unless the service only answers. Raises ConfigError or
    StorageUnavailable."""
    config, storage, clock = basis.config, basis.storage, basis.clock
    database, passwords = storage.database, Passwords()
    if not basis.only_answers:
        ensure_way_in(storage.background, clock, config.data_dir, passwords)
    book = AccessBook(storage.background, clock)
    book.reload()
    return AccessParts(
        book=book,
        sign_in=SignIn(database, clock, passwords, book),
        accounts=Accounts(database, clock, passwords, book),
        tokens=Tokens(database, clock, book),
        openid=_openid(config, storage, book, clock),
        audit=AuditLog(database, clock, basis.bus),
        key_rotation=KeyRotation(database, storage.vault),
    )


def _openid(config: Config, storage: Storage, book: AccessBook, clock: Clock) -> OpenIdSignIn:
    provider = None
    if config.openid.issuer:
        back = f"{config.listen.public_url.rstrip('/')}{OPENID_CALLBACK}"
        provider = OpenIdProvider(config.openid, back, clock)
    return OpenIdSignIn(config.openid, provider, storage.database, book, storage.vault, clock)
