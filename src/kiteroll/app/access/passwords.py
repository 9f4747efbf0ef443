"""Passwords are kept as argon2id digests (RFC 9106), with the parameters the library recommends."""

import threading

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

from kiteroll.core.errors import Invalid

SHORTEST, LONGEST = 12, 200
_AT_ONCE = 2
"""Each takes 64 MiB of memory and a moment of a processor."""


class Passwords:
    def __init__(self, hasher: PasswordHasher | None = None) -> None:
        self._hasher = hasher or PasswordHasher()
        self._turns = threading.BoundedSemaphore(_AT_ONCE)
        self._nobodys = self._hasher.hash("nobody has this password")

    def hash(self, password: str, name: str) -> str:
        """`name`: whose it is. Raises Invalid for a password that is easily guessed."""
        check(password, name)
        with self._turns:
            return self._hasher.hash(password)

    def fits(self, password: str, kept: str | None) -> bool:
        """Takes as long where there is none, so that nobody learns who has an account."""
        if len(password) > LONGEST:
            return False
        with self._turns:
            try:
                return self._hasher.verify(kept or self._nobodys, password) and kept is not None
            except (VerificationError, InvalidHashError):
                return False


def check(password: str, name: str) -> None:
    """Long ones are good ones (NIST SP 800-63B 5.1.1.2). Raises Invalid."""
    if not SHORTEST <= len(password) <= LONGEST:
        raise Invalid(f"password: {SHORTEST} to {LONGEST} characters; this one has {len(password)}")
    if len(set(password)) < 5 or (name and name.casefold() in password.casefold()):
        raise Invalid("password: not one of few different characters, and not one that holds the name")
