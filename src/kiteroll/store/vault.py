"""Encrypts secrets for the database; they cannot be read without the key file."""

import hmac
from hashlib import sha256
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken, MultiFernet

from kiteroll.core.errors import ConfigError
from kiteroll.private_file import write_private


class Vault:
    """Seals and opens small secrets (SNMP communities, keys) with a key kept beside the data. While keys are
    rotated there are two: the first one seals, both open."""

    def __init__(self, key_file: Path) -> None:
        """Reads the key, or makes one that only its owner can read. Raises ConfigError."""
        try:
            if not key_file.exists():
                write_private(key_file, Fernet.generate_key().decode())
            self._keys = key_file.read_text().split()
            self._box = _box(self._keys)
        except (OSError, ValueError) as wrong:
            raise ConfigError(
                str(key_file), (f"the key that seals secrets cannot be used: {wrong}",)
            ) from wrong
        self._key_file = key_file

    def begin_rotation(self) -> None:
        """A new key seals from now on. Raises OSError: then nothing is changed."""
        keys = [Fernet.generate_key().decode(), *self._keys]
        write_private(self._key_file, "\n".join(keys))
        self._keys, self._box = keys, _box(keys)

    def end_rotation(self) -> None:
        """Everything is sealed with the first key: the others go. Raises OSError: then they stay."""
        write_private(self._key_file, self._keys[0])
        self._keys = self._keys[:1]
        self._box = _box(self._keys)

    def seal_again(self, sealed: bytes) -> bytes:
        """With the first key. Raises ConfigError when it was sealed with one that is not known."""
        return self.seal(self.open(sealed))

    def seal(self, secret: str) -> bytes:
        return self._box.encrypt(secret.encode())

    def proof(self, purpose: str) -> str:
        """What only somebody who has the key can say for this purpose."""
        return _proof(self._keys[0], purpose)

    def proves(self, purpose: str, offered: str) -> bool:
        octets = offered.encode()  # of text that is not ASCII nothing else can be compared
        return any(hmac.compare_digest(_proof(key, purpose).encode(), octets) for key in self._keys)

    def open(self, sealed: bytes) -> str:
        """Raises ConfigError when it was sealed with another key."""
        try:
            return self._box.decrypt(sealed).decode()
        except InvalidToken as wrong:
            raise ConfigError(
                str(self._key_file),
                (
                    "a stored secret was sealed with another key: put the right key file back, "
                    "or enter the secret again",
                ),
            ) from wrong


def _proof(key: str, purpose: str) -> str:
    return hmac.new(key.encode(), purpose.encode(), sha256).hexdigest()


def _box(keys: list[str]) -> MultiFernet:
    """Raises ValueError."""
    return MultiFernet([Fernet(key) for key in keys])
