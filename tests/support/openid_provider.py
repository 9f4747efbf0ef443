"""A small OpenID Connect provider: it lets everybody in as whoever it was given, and checks what a client
must send (code flow, PKCE, client authentication)."""

import base64
import hashlib
import json
import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlencode, urlsplit

from joserfc import jwt
from joserfc.jwk import ECKey, KeySet

CLIENT_ID, CLIENT_SECRET = "kite-roll", "a secret of the client"


class OpenIdStandIn:
    def __init__(self) -> None:
        self.claims: dict[str, Any] = {}
        """What it says of whoever signs in next, over what it says anyway."""
        self.refuses = ""
        """The error that the browser comes back with."""
        self.key = ECKey.generate_key("P-256", {"kid": "one", "use": "sig", "alg": "ES256"})
        self._codes: dict[str, dict[str, str]] = {}
        outer = self

        class Handler(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                path, given = outer._parts(self.path)
                if path == "/.well-known/openid-configuration":
                    self._json(outer.metadata())
                elif path == "/keys":
                    self._json(KeySet([outer.key]).as_dict(private=False))
                elif path == "/authorize":
                    self.send_response(302)
                    self.send_header("Location", outer._authorize(given))
                    self.end_headers()
                else:
                    self.send_error(404)

            def do_POST(self) -> None:
                body = self.rfile.read(int(self.headers["Content-Length"])).decode()
                given = {name: values[0] for name, values in parse_qs(body).items()}
                problem, answer = outer._token(given, self.headers.get("Authorization", ""))
                self._json({"error": problem} if problem else answer, 400 if problem else 200)

            def _json(self, value: Any, status: int = 200) -> None:
                body = json.dumps(value).encode()
                self.send_response(status)
                self.send_header("Content-Type", "application/json")
                self.send_header("Content-Length", str(len(body)))
                self.end_headers()
                self.wfile.write(body)

            def log_message(self, *_: object) -> None:
                pass

        self._server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.issuer = f"http://127.0.0.1:{self._server.server_port}"
        threading.Thread(target=self._server.serve_forever, daemon=True).start()

    def close(self) -> None:
        self._server.shutdown()
        self._server.server_close()

    def metadata(self) -> dict[str, Any]:
        return {
            "issuer": self.issuer,
            "authorization_endpoint": f"{self.issuer}/authorize",
            "token_endpoint": f"{self.issuer}/token",
            "jwks_uri": f"{self.issuer}/keys",
            "response_types_supported": ["code"],
            "id_token_signing_alg_values_supported": ["ES256"],
        }

    def _parts(self, path: str) -> tuple[str, dict[str, str]]:
        split = urlsplit(path)
        return split.path, {name: values[0] for name, values in parse_qs(split.query).items()}

    def _authorize(self, given: dict[str, str]) -> str:
        assert (given["response_type"], given["client_id"]) == ("code", CLIENT_ID)
        assert given["code_challenge_method"] == "S256" and "openid" in given["scope"].split()
        if self.refuses:
            return f"{given['redirect_uri']}?{urlencode({'error': self.refuses, 'state': given['state']})}"
        code = f"code-{len(self._codes)}-{time.monotonic_ns()}"
        self._codes[code] = given
        return f"{given['redirect_uri']}?{urlencode({'code': code, 'state': given['state']})}"

    def _token(self, given: dict[str, str], authorization: str) -> tuple[str, dict[str, Any]]:
        basic = base64.b64encode(f"{CLIENT_ID}:{CLIENT_SECRET}".encode()).decode()
        begun = self._codes.pop(given.get("code", ""), None)
        if authorization != f"Basic {basic}":
            return "invalid_client", {}
        challenge = hashlib.sha256(given.get("code_verifier", "").encode()).digest()
        said = base64.urlsafe_b64encode(challenge).decode().rstrip("=")
        if begun is None or said != begun["code_challenge"] or given["redirect_uri"] != begun["redirect_uri"]:
            return "invalid_grant", {}
        now = int(time.time())
        claims = {
            "iss": self.issuer,
            "aud": CLIENT_ID,
            "sub": "u-1",
            "iat": now,
            "exp": now + 300,
            "nonce": begun["nonce"],
        }
        token = jwt.encode({"alg": "ES256", "kid": self.key.kid}, claims | self.claims, self.key)
        return "", {"access_token": "unused", "token_type": "Bearer", "expires_in": 300, "id_token": token}
