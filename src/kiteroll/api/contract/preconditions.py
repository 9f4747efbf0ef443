"""Entity tags of what can be changed, and changes on condition (RFC 9110, 8.8.3 and 13).

The tag covers what people can change, not what is measured beside it: a reading that comes while somebody
edits a switch must not make their change fail. So it is for `If-Match`; answers are never left out for it.
"""

import asyncio
import hashlib
import json
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import Any

from starlette.datastructures import Headers

from kiteroll.core.errors import Invalid, KiteRollError


class ChangedMeanwhile(KiteRollError):
    code = "changed_meanwhile"


class ChangeLocks:
    """One change of a resource at a time, so that its state is still what was compared when it is changed."""

    def __init__(self) -> None:
        self._locks: dict[str, tuple[asyncio.Lock, int]] = {}
        """By path: the lock, and how many hold it or wait for it."""

    @asynccontextmanager
    async def of(self, path: str) -> AsyncIterator[None]:
        lock, users = self._locks.get(path, (asyncio.Lock(), 0))
        self._locks[path] = (lock, users + 1)
        try:
            async with lock:
                yield
        finally:
            lock, users = self._locks[path]
            if users == 1:
                del self._locks[path]
            else:
                self._locks[path] = (lock, users - 1)


def tag_of(state: Any) -> str | None:
    """The entity tag of a state; None for what is not there."""
    if state is None:
        return None
    text = json.dumps(state, sort_keys=True, default=str)
    return f'"{hashlib.sha256(text.encode()).hexdigest()[:32]}"'


def is_conditional(headers: Headers) -> bool:
    return "if-match" in headers or "if-none-match" in headers


def check(headers: Headers, tag: str | None) -> None:
    """`tag`: of the present state. Raises ChangedMeanwhile, or Invalid for what is no list of tags."""
    if (wanted := headers.get("if-match")) is not None and not _matches(wanted, tag):
        there = f"it has the tag {tag} now" if tag else "it is not there"
        raise ChangedMeanwhile(
            f"If-Match asks for {wanted[:200]}, but {there}: read it again, then change it"
        )
    if (unwanted := headers.get("if-none-match")) is not None and _matches(unwanted, tag):
        raise ChangedMeanwhile("If-None-Match: it is there already, with this tag; read it, then change it")


def _matches(header: str, tag: str | None) -> bool:
    if header.strip() == "*":
        return tag is not None
    given = [one.strip() for one in header.split(",")]
    if any(len(one) < 2 or one[0] != '"' or one[-1] != '"' for one in (g.removeprefix("W/") for g in given)):
        raise Invalid(
            'If-Match and If-None-Match take * or tags in quotes, such as "0123abcd", with commas between'
        )
    return tag in given  # a weak tag never matches: the comparison is the strong one
