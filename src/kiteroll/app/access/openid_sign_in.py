"""Signing in as somebody whom the OpenID Connect provider vouches for: groups there are roles here."""

import json
import re
import secrets
from collections.abc import Mapping
from dataclasses import asdict
from datetime import timedelta
from typing import Any

from kiteroll.app.access.access_book import AccessBook
from kiteroll.app.access.openid_provider import Challenge, NotVouchedFor, OpenIdProvider
from kiteroll.app.settings import OpenIdSettings
from kiteroll.clock import Clock
from kiteroll.core.access.rights import Role
from kiteroll.core.errors import ConfigError, Conflict
from kiteroll.store import accounts
from kiteroll.store.accounts import AccountRow
from kiteroll.store.database import Database
from kiteroll.store.vault import Vault

CALLBACK = "/api/v1/session/openid/callback"
"""Where the provider sends the browser back to, below the public URL."""
PATIENCE = timedelta(minutes=10)
"""How long somebody may take at the provider."""
EVERYBODY = "*"
_NAME = re.compile(r"[^A-Za-z0-9._@-]+")
_LONGEST_NAME = 64


class OpenIdSignIn:
    def __init__(
        self,
        settings: OpenIdSettings,
        provider: OpenIdProvider | None,
        database: Database,
        book: AccessBook,
        vault: Vault,
        clock: Clock,
    ) -> None:
        """`provider`: None: nobody signs in that way."""
        self._settings = settings
        self._provider = provider
        self._database = database
        self._book = book
        self._vault = vault
        self._clock = clock

    @property
    def name(self) -> str:
        """What the provider is called; empty: there is none."""
        return "" if self._provider is None else self._settings.name

    def begin(self) -> tuple[str, str]:
        """Where to send the browser, and what it keeps until it comes back, sealed. Raises NotVouchedFor."""
        challenge = Challenge(*(secrets.token_urlsafe(32) for _ in range(3)))
        kept = {**asdict(challenge), "until": (self._clock.now() + PATIENCE).timestamp()}
        url = self._known_provider().authorization_url(challenge)
        return url, self._vault.seal(json.dumps(kept)).decode()

    def end(self, sealed: str | None, state: str, code: str) -> AccountRow:
        """Whose account it is; made or changed as their groups say. Raises NotVouchedFor or Conflict."""
        challenge = self._challenge(sealed)
        if not secrets.compare_digest(challenge.state.encode(), state.encode()):
            raise NotVouchedFor("the sign-in was begun elsewhere: begin it again here")
        claims = self._known_provider().claims(code, challenge)
        return self._account(claims)

    def _challenge(self, sealed: str | None) -> Challenge:
        try:
            kept = json.loads(self._vault.open((sealed or "").encode()))
        except (ConfigError, ValueError) as wrong:
            raise NotVouchedFor("the sign-in was not begun in this browser: begin it again") from wrong
        if kept.pop("until") < self._clock.now().timestamp():
            raise NotVouchedFor("the sign-in took too long: begin it again")
        return Challenge(**kept)

    def _account(self, claims: Mapping[str, Any]) -> AccountRow:
        subject = str(claims["sub"])
        known = [one for one in self._database.run(accounts.all_accounts) if one.openid_subject == subject]
        values = self._values(claims)
        if known:
            row = self._database.run(accounts.change_account, known[0].name, values)
        elif "role" not in values:
            raise NotVouchedFor("there is no account for you here: ask an administrator for one")
        else:
            row = self._add(claims, {**values, "openid_subject": subject})
        self._book.reload()
        return row

    def _values(self, claims: Mapping[str, Any]) -> dict[str, Any]:
        """Of the account, as far as the provider decides on them. Raises NotVouchedFor for somebody who is in
        none of the groups."""
        values: dict[str, Any] = {}
        if claims.get("name"):
            values["full_name"] = str(claims["name"])[:255]
        if not self._settings.decides_on_roles:
            return values
        given = claims.get(self._settings.groups_claim) or ()
        groups = {str(one) for one in (given if isinstance(given, list) else [given])} | {EVERYBODY}
        for role, named in (
            (Role.ADMINISTRATOR, self._settings.administrators),
            (Role.OPERATOR, self._settings.operators),
            (Role.VIEWER, self._settings.viewers),
        ):
            if groups & set(named):
                values["role"] = role
                values["acts_on_ports"] = (
                    bool(groups & set(self._settings.act_on_ports)) and role is not Role.VIEWER
                )
                if role is Role.ADMINISTRATOR:
                    values["sites"] = None
                return values
        raise NotVouchedFor("you are in none of the groups that may sign in here")

    def _add(self, claims: Mapping[str, Any], values: Mapping[str, Any]) -> AccountRow:
        wanted = str(claims.get("preferred_username") or claims.get("email") or claims["sub"])
        name = _NAME.sub("-", wanted).strip("-._@")[:_LONGEST_NAME] or "someone"
        try:
            return self._database.run(accounts.add_account, name, values, self._clock.now())
        except Conflict as taken:
            raise NotVouchedFor(
                f"there is an account {name!r} already that is not tied to you: an administrator can set its "
                f"OpenID subject to {values['openid_subject']!r}"
            ) from taken

    def _known_provider(self) -> OpenIdProvider:
        if self._provider is None:
            raise NotVouchedFor("no OpenID Connect provider is set up (section openid)")
        return self._provider
