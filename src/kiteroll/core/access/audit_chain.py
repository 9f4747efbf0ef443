"""The chain of the audit log: each entry carries a digest of itself and of the entry before it.

SHA-256 (FIPS 180-4) over the digest before and the entry as canonical JSON, so that an exported log can be
checked anywhere, without the service. Whoever can write the database could rebuild the whole chain; against
that stands the last digest kept elsewhere: in an export, a backup, or the log the service sends on.
"""

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from hashlib import sha256
from typing import Any

FIRST = "0" * 64
"""What stands for the digest before the first entry."""
FIELDS = (
    "number",
    "at",
    "call",
    "stage",
    "by",
    "via",
    "client",
    "action",
    "subject",
    "before",
    "after",
    "note",
)
"""Of an entry, as they are digested."""


@dataclass(frozen=True, slots=True)
class Verdict:
    entries: int
    """Looked at."""
    last: str
    """Digest of the last of them."""
    broken_at: int | None = None
    """Number of the first entry that does not fit."""
    why: str = ""


def digest(before: str, entry: Mapping[str, Any]) -> str:
    plain = {name: entry[name] for name in FIELDS}
    text = json.dumps(plain, sort_keys=True, separators=(",", ":"), ensure_ascii=True)
    return sha256(f"{before}\n{text}".encode()).hexdigest()


def verify(entries: Iterable[Mapping[str, Any]]) -> Verdict:
    """`entries` in order of their numbers, each with the FIELDS and its `digest`. A log that begins later
    than its first entry is checked from there on."""
    last, number, count = "", None, 0
    for entry in entries:
        count += 1
        if number is not None and entry["number"] != number + 1:
            return Verdict(count, last, entry["number"], f"entry {number + 1} is missing")
        number = entry["number"]
        before = FIRST if number == 1 else (last or entry["digest_before"])
        if entry["digest_before"] != before:
            return Verdict(count, last, number, "it does not follow the entry before it")
        if digest(before, entry) != entry["digest"]:
            return Verdict(count, last, number, "it was changed after it was written")
        last = entry["digest"]
    return Verdict(count, last)
