"""An OpenID Connect provider: authorization code flow (OpenID Connect Core 1.0) with PKCE (RFC 7636)."""

import logging
import ssl
import threading
import warnings
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

import httpx
from authlib.deprecate import AuthlibDeprecationWarning
from joserfc import jwt
from joserfc.errors import JoseError
from joserfc.jwk import KeySet

from kiteroll.app.settings import OpenIdSettings
from kiteroll.clock import Clock
from kiteroll.core.errors import KiteRollError

with warnings.catch_warnings():
    # It warns that it will once use another client library by itself: nothing that we, or users, can do.
    warnings.simplefilter("ignore", AuthlibDeprecationWarning)
    from authlib.integrations.base_client import OAuthError
    from authlib.integrations.httpx_client import OAuth2Client

log = logging.getLogger(__name__)
_TIMEOUT_S = 10.0
_ALGORITHMS = ["RS256", "RS384", "RS512", "PS256", "PS384", "PS512", "ES256", "ES384", "ES512", "EdDSA"]
"""Signatures by a key of the provider; none by a shared secret, and no `none`."""
_KEPT = timedelta(hours=1)
_CLOCKS_DIFFER_S = 60


class NotVouchedFor(KiteRollError):
    """The provider does not say who it is, or what it says cannot be believed."""

    code = "not_vouched_for"


@dataclass(frozen=True, slots=True)
class Challenge:
    """What one sign-in is recognised by when the browser comes back."""

    state: str
    nonce: str
    verifier: str


@dataclass(frozen=True, slots=True)
class _Documents:
    read_at: datetime
    metadata: Mapping[str, Any]
    keys: KeySet


class OpenIdProvider:
    def __init__(self, settings: OpenIdSettings, redirect_url: str, clock: Clock) -> None:
        self._settings = settings
        self._redirect_url = redirect_url
        self._clock = clock
        self._lock = threading.Lock()
        self._documents: _Documents | None = None

    def authorization_url(self, challenge: Challenge) -> str:
        """Where the browser is sent. Raises NotVouchedFor when the provider does not answer."""
        metadata = self._read().metadata
        with self._client() as client:
            url, _ = client.create_authorization_url(
                metadata["authorization_endpoint"],
                state=challenge.state,
                nonce=challenge.nonce,
                code_verifier=challenge.verifier,
            )
        return str(url)

    def claims(self, code: str, challenge: Challenge) -> Mapping[str, Any]:
        """Who came back with `code`. Raises NotVouchedFor."""
        documents = self._read()
        try:
            with self._client() as client:
                answer = client.fetch_token(
                    documents.metadata["token_endpoint"], code=code, code_verifier=challenge.verifier
                )
            token = answer["id_token"]
        except (OAuthError, httpx.HTTPError, KeyError, TypeError, ValueError) as wrong:
            raise NotVouchedFor(f"the provider gave no ID token: {wrong}") from wrong
        try:
            return self._checked(token, documents.keys, challenge)
        except JoseError as unknown_key:
            log.info("the ID token does not fit the keys: they are read again", exc_info=unknown_key)
        try:
            return self._checked(token, self._read(anew=True).keys, challenge)
        except JoseError as wrong:
            raise NotVouchedFor(f"the provider's ID token cannot be believed: {wrong}") from wrong

    def _checked(self, token: str, keys: KeySet, challenge: Challenge) -> Mapping[str, Any]:
        """Raises JoseError or NotVouchedFor."""
        claims: dict[str, Any] = jwt.decode(token, keys, algorithms=_ALGORITHMS).claims
        jwt.JWTClaimsRegistry(
            now=int(self._clock.now().timestamp()),
            leeway=_CLOCKS_DIFFER_S,
            iss={"essential": True, "value": self._settings.issuer},
            sub={"essential": True},
            exp={"essential": True},
            nonce={"essential": True, "value": challenge.nonce},
        ).validate(claims)
        audiences = claims.get("aud")
        audiences = audiences if isinstance(audiences, list) else [audiences]
        own = self._settings.client_id
        if own not in audiences or claims.get("azp", own) != own:
            raise NotVouchedFor("the provider's ID token is for another service")
        return claims

    def _read(self, *, anew: bool = False) -> _Documents:
        with self._lock:
            known, now = self._documents, self._clock.now()
            if known is not None and not anew and now - known.read_at < _KEPT:
                return known
            issuer = self._settings.issuer
            try:
                with httpx.Client(timeout=_TIMEOUT_S, verify=self._context(), trust_env=False) as client:
                    metadata = _json(client, f"{issuer.rstrip('/')}/.well-known/openid-configuration")
                    if metadata.get("issuer") != issuer:
                        raise NotVouchedFor(
                            f"the provider calls itself {metadata.get('issuer')!r}, not {issuer!r}"
                        )
                    keys = KeySet.import_key_set(_json(client, metadata["jwks_uri"]))  # type: ignore[arg-type]
            except (httpx.HTTPError, KeyError, ValueError, JoseError) as wrong:
                raise NotVouchedFor(f"the provider {issuer} does not answer as one: {wrong}") from wrong
            self._documents = _Documents(now, metadata, keys)
            return self._documents

    def _client(self) -> OAuth2Client:
        return OAuth2Client(
            client_id=self._settings.client_id,
            client_secret=self._settings.client_secret,
            scope=" ".join(dict.fromkeys(["openid", *self._settings.scopes])),
            redirect_uri=self._redirect_url,
            code_challenge_method="S256",
            timeout=_TIMEOUT_S,
            verify=self._context(),
            trust_env=False,
        )

    def _context(self) -> ssl.SSLContext:
        try:
            return ssl.create_default_context(cafile=self._settings.ca_file)
        except OSError as wrong:
            raise NotVouchedFor(f"openid.ca_file: {self._settings.ca_file}: {wrong}") from wrong


def _json(client: httpx.Client, url: str) -> dict[str, Any]:
    """Raises httpx.HTTPError or ValueError."""
    answer = client.get(url)
    answer.raise_for_status()
    found = answer.json()
    if not isinstance(found, dict):
        raise ValueError(f"{url} is no JSON object")
    return found
