"""Encrypts secrets for the database; they cannot be read without the key file."""

from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken

from kiteroll.core.errors import ConfigError
from kiteroll.private_file import write_private


class Vault:
    """Seals and opens small secrets (SNMP communities, keys) with one key kept beside the data."""

    def __init__(self, key_file: Path) -> None:
        """Reads the key, or makes one that only its owner can read. Raises ConfigError."""
        try:
            if not key_file.exists():
                write_private(key_file, Fernet.generate_key().decode())
            self._box = Fernet(key_file.read_text().strip())
        except (OSError, ValueError) as wrong:
            raise ConfigError(
                str(key_file), (f"the key that seals secrets cannot be used: {wrong}",)
            ) from wrong
        self._key_file = key_file

    def seal(self, secret: str) -> bytes:
        return self._box.encrypt(secret.encode())

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
