"""Sessions of the console, kept by the service: signing out ends one for good, wherever its cookie is."""

import json
import secrets
import threading
from hashlib import sha256
from pathlib import Path

from kiteroll.clock import Clock
from kiteroll.private_file import write_private

SESSION_S = 12 * 3600
_AT_ONCE = 1000
"""Sessions beyond these end those that were opened first."""


class Sessions:
    """Identifiers are random and are kept hashed. They outlive a restart of the service, for as long as the
    token that opened them is the service's token."""

    def __init__(self, file: Path, token: str, clock: Clock) -> None:
        self._file = file
        self._clock = clock
        self._opened_by = _hash(token)
        self._lock = threading.Lock()
        self._until: dict[str, float] = self._load()
        """Hashed identifier to the POSIX time at which it ends."""

    def open(self) -> str:
        identifier = secrets.token_urlsafe(32)
        with self._lock:
            now = self._now()
            self._until = {one: until for one, until in self._until.items() if until > now}
            while len(self._until) >= _AT_ONCE:
                del self._until[next(iter(self._until))]
            self._until[_hash(identifier)] = now + SESSION_S
            self._save()
        return identifier

    def is_open(self, identifier: str) -> bool:
        return self._until.get(_hash(identifier), 0.0) > self._now()

    def end(self, identifier: str) -> None:
        with self._lock:
            if self._until.pop(_hash(identifier), None) is not None:
                self._save()

    def _now(self) -> float:
        return self._clock.now().timestamp()

    def _load(self) -> dict[str, float]:
        try:
            saved = json.loads(self._file.read_text())
            if saved["opened_by"] != self._opened_by:
                return {}
            return {str(one): float(until) for one, until in saved["until"].items()}
        except (OSError, ValueError, KeyError, TypeError, AttributeError):
            return {}  # whoever was signed in signs in again

    def _save(self) -> None:
        try:
            write_private(self._file, json.dumps({"opened_by": self._opened_by, "until": self._until}))
        except OSError:
            return  # a full disk: they last until the service ends


def _hash(text: str) -> str:
    return sha256(text.encode()).hexdigest()
