"""The life of findings: open, gather, be acknowledged, clear, reopen. Pure: time is handed in.

One finding per kind and subject, however often it comes: evidence is added, never a second finding.
"""

from collections.abc import Iterable, Mapping
from dataclasses import replace
from datetime import datetime, timedelta
from heapq import heappop, heappush
from itertools import chain

from kiteroll.core.findings.model import (
    MOST_EVIDENCE,
    STANDING,
    Evidence,
    Finding,
    Kind,
    Sign,
    State,
    Thresholds,
)

_EXPLAINS = {
    Kind.LOOP: frozenset(
        {
            Kind.FLAPPING,
            Kind.DOUBLED,
            Kind.MOVED,
            Kind.FLOOD,
            Kind.FILLING,
            Kind.CONTESTED_IP,
            Kind.SILENT_PORT,
            Kind.OVERFULL,
            Kind.STRANGER,
        }
    ),
    Kind.FLOOD: frozenset({Kind.FILLING, Kind.OVERFULL, Kind.STRANGER}),
    Kind.DOUBLED: frozenset({Kind.MOVED, Kind.FLAPPING}),
    Kind.FLAPPING: frozenset({Kind.MOVED}),
}
"""Kinds whose findings are part of one of this kind: of the same address, or at the same ports."""


_BEFORE = timedelta(minutes=2)
"""A loop makes addresses jump for a while before enough of them are seen to call it one."""


class FindingBook:
    def __init__(self, thresholds: Thresholds, findings: Iterable[Finding] = ()) -> None:
        """`findings`: those that are not cleared, from an earlier run."""
        self.thresholds = thresholds
        self._live: dict[str, Finding] = {}
        self._due: list[tuple[datetime, str]] = []
        """A heap: when which is to be looked at, for tens of thousands may be live."""
        # Thousands of moves may be live; what could explain one of them is of a few other kinds.
        self._of_kind: dict[Kind, dict[str, Finding]] = {kind: {} for kind in Kind}
        for one in findings:
            self._put(one)

    def live(self) -> Mapping[str, Finding]:
        """Findings that are not cleared, by key."""
        return self._live

    def take(self, sign: Sign, before: Finding | None) -> list[Finding]:
        """The finding after a sign, and those it now explains; none when the sign is old news.
        `before`: the cleared finding of the same kind and subject, if there ever was one.

        What explains a finding is judged anew with each sign: evidence that comes when a loop is over
        speaks for itself, what came while it lasted stays part of it."""
        known = self._live.get(sign.key)
        if known is None:
            if before is not None and before.cleared_at is not None and sign.last_at <= before.cleared_at:
                return []
            found = _reopened(before, sign) if before is not None else _opened(sign)
        else:
            if sign.last_at <= known.last_at:
                return []
            found = _gathered(known, sign)
        found = replace(found, part_of=self._explained_by(found))
        self._put(found)
        return [found, *self._explained_now(found)]

    def tick(self, now: datetime) -> list[Finding]:
        """Findings that changed with time alone: quiet for long enough, or no longer put off."""
        changed = []
        while self._due and self._due[0][0] <= now:
            one = self._live.get(heappop(self._due)[1])
            if one is None or self._due_at(one) > now:
                continue  # cleared by hand, or put off by later evidence, which has an entry of its own
            if now - one.last_at >= self.thresholds.quiet_time(one.kind):
                changed.append(replace(one, state=State.CLEARED, cleared_at=now))
                self._drop(one.key)
            else:
                changed.append(self._put(replace(one, state=State.OPEN, acknowledged_until=None)))
        return changed

    def _due_at(self, one: Finding) -> datetime:
        """When time alone changes it, if nothing comes before."""
        clears_at = one.last_at + self.thresholds.quiet_time(one.kind)
        if one.state is State.ACKNOWLEDGED and one.acknowledged_until is not None:
            return min(clears_at, one.acknowledged_until)
        return clears_at

    def acknowledge(self, key: str, by: str, note: str, until: datetime | None) -> Finding | None:
        """None when it is not live."""
        known = self._live.get(key)
        if known is None:
            return None
        return self._put(
            replace(known, state=State.ACKNOWLEDGED, acknowledged_by=by, note=note, acknowledged_until=until)
        )

    def clear(self, key: str, by: str, now: datetime) -> Finding | None:
        known = self._drop(key)
        if known is None:
            return None
        return replace(known, state=State.CLEARED, cleared_at=now, cleared_by=by)

    def _explained_by(self, one: Finding) -> str:
        kinds = [kind for kind, explained in _EXPLAINS.items() if one.kind in explained]
        others = chain.from_iterable(self._of_kind[kind].values() for kind in kinds)
        return next((other.key for other in others if _explains(other, one)), "")

    def _explained_now(self, one: Finding) -> list[Finding]:
        """Findings that were there before the one that explains them."""
        kinds = sorted(_EXPLAINS.get(one.kind, ()))
        others = chain.from_iterable(self._of_kind[kind].values() for kind in kinds)
        found = [other for other in others if not other.part_of and _explains(one, other)]
        return [self._put(replace(other, part_of=one.key)) for other in found]

    def _put(self, one: Finding) -> Finding:
        self._live[one.key] = self._of_kind[one.kind][one.key] = one
        heappush(self._due, (self._due_at(one), one.key))
        return one

    def _drop(self, key: str) -> Finding | None:
        one = self._live.pop(key, None)
        if one is not None:
            del self._of_kind[one.kind][key]
        return one


def _explains(one: Finding, other: Finding) -> bool:
    if other.kind not in _EXPLAINS.get(one.kind, frozenset()) or one.key == other.key:
        return False
    if one.subject.mac is not None and other.subject.mac is not None:
        return one.subject.mac == other.subject.mac
    if other.kind is Kind.FILLING:
        return one.subject.switch == other.subject.switch
    if one.kind is Kind.LOOP and other.kind is not Kind.MOVED:
        # What goes round reaches the whole VLAN: addresses jump far from the loop as well.
        return other.first_at >= one.first_at - _BEFORE
    return bool(one.places & other.places)


def _opened(sign: Sign) -> Finding:
    return Finding(
        kind=sign.kind,
        subject=sign.subject,
        severity=sign.severity,
        title=sign.title,
        cause=sign.cause,
        state=State.OPEN,
        evidence=sign.evidence[-MOST_EVIDENCE:],
        count=max(1, len(sign.evidence)),
        first_at=sign.first_at,
        opened_at=sign.last_at,
        last_at=sign.last_at,
        places=sign.places,
    )


def _reopened(before: Finding, sign: Sign) -> Finding:
    fresh = _opened(sign)
    evidence, new = _joined(before.evidence, sign.evidence)
    return replace(
        fresh,
        evidence=evidence,
        count=before.count + max(1, new),
        opened=before.opened + 1,
        first_at=before.first_at,
    )


def _gathered(known: Finding, sign: Sign) -> Finding:
    evidence, new = known.evidence, 0
    if sign.kind not in STANDING:  # how something is needs telling once
        evidence, new = _joined(known.evidence, sign.evidence)
    return replace(
        known,
        severity=sign.severity,
        title=sign.title,
        cause=sign.cause or known.cause,
        evidence=evidence,
        count=known.count + new,
        last_at=sign.last_at,
        places=known.places | sign.places,
    )


def _joined(known: tuple[Evidence, ...], more: tuple[Evidence, ...]) -> tuple[tuple[Evidence, ...], int]:
    """All evidence in order of time, the latest of it, and how many pieces are new."""
    seen = set(known)
    new = [one for one in more if one not in seen]
    return tuple(sorted((*known, *new))[-MOST_EVIDENCE:]), len(new)
