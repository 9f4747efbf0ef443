"""Answers that are kept for requests which may be sent again: by account, key, and what was asked."""

import hashlib
from dataclasses import dataclass

from kiteroll.clock import Clock
from kiteroll.core.errors import Conflict, Invalid
from kiteroll.store import kept_answers
from kiteroll.store.database import Database
from kiteroll.store.vault import Vault


class RequestRepeated(Conflict):
    code = "request_repeated"


class KeyUsedOtherwise(Invalid):
    code = "key_used_otherwise"


@dataclass(frozen=True, slots=True)
class Answer:
    status: int
    location: str
    media_type: str
    body: bytes


@dataclass(frozen=True, slots=True)
class Claim:
    """A request that was entered and is worked on."""

    key_digest: str


class KeptAnswers:
    def __init__(self, database: Database, vault: Vault, clock: Clock) -> None:
        self._database = database
        self._vault = vault
        self._clock = clock

    def begin(self, account: str, key: str, path: str, query: str, body: bytes) -> Claim | Answer:
        """The answer that was given before, or the right to work on it. Raises KeyUsedOtherwise when the key
        came with another request; RequestRepeated when the first has not ended, or is not kept."""
        claim, request = Claim(_digest(account, key)), _digest(path, query, body.hex())
        known = self._database.run(kept_answers.claim, claim.key_digest, request, self._clock.now())
        if known is None:
            return claim
        if known.request_digest != request:
            raise KeyUsedOtherwise("the idempotency key came with another path or body: use a new key")
        began = known.began_at.isoformat(timespec="seconds")
        if known.status is None:
            raise RequestRepeated(
                f"the same request began at {began} and has not ended: wait for its answer; if the service "
                "was stopped meanwhile, look whether the change was made before sending it with another key"
            )
        if known.sealed is None:
            raise RequestRepeated(f"it was carried out at {began}; its answer was too large to be kept")
        body = self._vault.open(known.sealed).encode("latin-1")
        return Answer(known.status, known.location, known.media_type, body)

    def save(self, claim: Claim, answer: Answer, *, too_large: bool) -> None:
        sealed = None if too_large else self._vault.seal(answer.body.decode("latin-1"))
        self._database.run(
            kept_answers.save, claim.key_digest, answer.status, answer.location, answer.media_type, sealed
        )

    def give_up(self, claim: Claim) -> None:
        """Nothing was changed: the key may be used again."""
        self._database.run(kept_answers.give_up, claim.key_digest)


def _digest(*parts: str) -> str:
    return hashlib.sha256("\0".join(parts).encode()).hexdigest()
