"""Keys under a passphrase: scrypt (RFC 7914) makes a key of it, Fernet seals with that."""

import base64
import json
import os
from collections.abc import Mapping
from typing import Any

from cryptography.fernet import Fernet, InvalidToken
from cryptography.hazmat.primitives.kdf.scrypt import Scrypt

from kiteroll.core.errors import Invalid

_COST = {"n": 2**15, "r": 8, "p": 1}
"""32 MiB of memory, and a tenth of a second."""
_LARGEST_N = 2**20
SHORTEST = 12


def wrap(secrets: Mapping[str, str], passphrase: str) -> dict[str, Any]:
    """Raises Invalid for a passphrase that is too short."""
    if len(passphrase) < SHORTEST:
        raise Invalid(f"the passphrase has {len(passphrase)} characters: it takes at least {SHORTEST}")
    salt = os.urandom(16)
    sealed = _box(passphrase, salt, _COST).encrypt(json.dumps(dict(secrets)).encode())
    return {"kdf": "scrypt", **_COST, "salt": salt.hex(), "sealed": sealed.decode()}


def unwrap(wrapped: Mapping[str, Any], passphrase: str) -> dict[str, str]:
    """Raises Invalid when it is not the passphrase, or what is wrapped is damaged."""
    try:
        cost = {name: int(wrapped[name]) for name in _COST}
        if wrapped["kdf"] != "scrypt" or not 2 <= cost["n"] <= _LARGEST_N or cost["r"] * cost["p"] > 64:
            raise ValueError("it asks for more than a backup of ours does")
        box = _box(passphrase, bytes.fromhex(wrapped["salt"]), cost)
        found: dict[str, str] = json.loads(box.decrypt(wrapped["sealed"].encode()))
    except InvalidToken as wrong:
        raise Invalid(
            "this is not the passphrase the backup was made with, or the file is damaged"
        ) from wrong
    except (KeyError, TypeError, ValueError, AttributeError) as wrong:
        raise Invalid(f"the keys of the backup cannot be read: {wrong}") from wrong
    return found


def _box(passphrase: str, salt: bytes, cost: Mapping[str, int]) -> Fernet:
    key = Scrypt(salt=salt, length=32, **cost).derive(passphrase.encode())
    return Fernet(base64.urlsafe_b64encode(key))
