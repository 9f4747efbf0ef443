"""Seals what a collector is to read, credentials among it, so that it alone can open it.

X25519 (RFC 7748) with a key made for each message, HKDF with SHA-256 (RFC 5869), and
ChaCha20-Poly1305 (RFC 8439), bound to the name of the collector.
"""

import base64
import os
from pathlib import Path

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.asymmetric.x25519 import X25519PrivateKey, X25519PublicKey
from cryptography.hazmat.primitives.ciphers.aead import ChaCha20Poly1305
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

from kiteroll.core.errors import ConfigError, Invalid
from kiteroll.private_file import write_private

_VERSION = b"\x01"
_KEY, _NONCE = 32, 12


def check_public_key(text: str) -> str:
    """In its canonical form. Raises Invalid."""
    _public_key(text)
    return text.strip()


def seal(public_key: str, collector: str, plain: bytes) -> bytes:
    """For the collector with this key. Raises Invalid when that is none."""
    to = _public_key(public_key)
    own = X25519PrivateKey.generate()
    own_public, nonce = own.public_key().public_bytes_raw(), os.urandom(_NONCE)
    box = _box(own.exchange(to), own_public + to.public_bytes_raw())
    return _VERSION + own_public + nonce + box.encrypt(nonce, plain, collector.encode())


class PrivateKey:
    """A collector's, in a file that only its owner can read."""

    def __init__(self, file: Path) -> None:
        """Made where there is none. Raises ConfigError."""
        try:
            if not file.exists():
                key = X25519PrivateKey.generate()
                write_private(file, base64.b64encode(key.private_bytes_raw()).decode())
            self._key = X25519PrivateKey.from_private_bytes(
                base64.b64decode(file.read_text(), validate=False)
            )
        except (OSError, ValueError) as wrong:
            raise ConfigError(str(file), (f"the key of this collector cannot be used: {wrong}",)) from wrong

    @property
    def public(self) -> str:
        return base64.b64encode(self._key.public_key().public_bytes_raw()).decode()

    def open(self, collector: str, sealed: bytes) -> bytes:
        """Raises Invalid when it was sealed for another key or another collector, or was changed."""
        head, rest = sealed[: 1 + _KEY + _NONCE], sealed[1 + _KEY + _NONCE :]
        if len(head) < 1 + _KEY + _NONCE or head[:1] != _VERSION:
            raise Invalid("what came as targets is not sealed as this version knows it")
        other, nonce = head[1 : 1 + _KEY], head[1 + _KEY :]
        shared = self._key.exchange(X25519PublicKey.from_public_bytes(other))
        box = _box(shared, other + self._key.public_key().public_bytes_raw())
        try:
            return box.decrypt(nonce, rest, collector.encode())
        except InvalidTag as wrong:
            raise Invalid(
                f"the targets were not sealed for the key of {collector}: the centre must know it by the key "
                f"{self.public}"
            ) from wrong


def _public_key(text: str) -> X25519PublicKey:
    try:
        return X25519PublicKey.from_public_bytes(base64.b64decode(text.strip(), validate=True))
    except ValueError as wrong:
        raise Invalid(
            "that is no key of a collector: `kiteroll collector key` prints it there, 44 characters"
        ) from wrong


def _box(shared: bytes, salt: bytes) -> ChaCha20Poly1305:
    return ChaCha20Poly1305(HKDF(SHA256(), _KEY, salt, b"kiteroll targets").derive(shared))
