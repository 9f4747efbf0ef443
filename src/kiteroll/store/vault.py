"""Sealing secrets: what leaves here for the database cannot be read without the key file."""

import os
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken

from kiteroll.core.errors import ConfigError


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
                    "or enter the secret anew",
                ),
            ) from wrong


def write_private(path: Path, text: str) -> None:
    """Write a file that only its owner can read, whole or not at all."""
    path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    part = path.with_name(path.name + ".part")
    part.unlink(missing_ok=True)
    descriptor = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(descriptor, "w") as file:
        file.write(text + "\n")
        file.flush()
        os.fsync(file.fileno())
    part.replace(path)
