"""What differs between two instants, address by address."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.stay import Place, Stay


class DifferenceKind(StrEnum):
    APPEARED = "appeared"
    """There at the end, and never before the beginning."""
    RETURNED = "came back"
    """There at the end, not at the beginning, but some time before that."""
    GONE = "gone"
    MOVED = "moved"
    MORE_PLACES = "at more places"
    """Where it was, and elsewhere: in another VLAN there, or on another port."""
    FEWER_PLACES = "at fewer places"


@dataclass(frozen=True, slots=True)
class Difference:
    mac: MacAddress
    kind: DifferenceKind
    before: tuple[Place, ...]
    after: tuple[Place, ...]
    at: datetime
    """When the latest of it happened."""


def compare(
    mac: MacAddress, stays: Sequence[Stay], first_seen_at: datetime, begin: datetime, end: datetime
) -> Difference | None:
    """`stays`: those of the address that cover `begin` or `end`, at access ports. None
    when it was at the same places at both instants. A quiet address counts as there."""
    before = _places(stays, begin)
    after = _places(stays, end)
    if before == after:
        return None
    moments = [stay.began_at for stay in stays if begin <= stay.began_at < end]
    moments += [stay.ended_at for stay in stays if stay.ended_at and begin <= stay.ended_at < end]
    kind = _kind(frozenset(before), frozenset(after), known_before=first_seen_at < begin)
    return Difference(mac, kind, before, after, max(moments, default=end))


def _kind(before: frozenset[Place], after: frozenset[Place], *, known_before: bool) -> DifferenceKind:
    if not before:
        return DifferenceKind.RETURNED if known_before else DifferenceKind.APPEARED
    if not after:
        return DifferenceKind.GONE
    if before < after:
        return DifferenceKind.MORE_PLACES
    return DifferenceKind.FEWER_PLACES if after < before else DifferenceKind.MOVED


def _places(stays: Sequence[Stay], at: datetime) -> tuple[Place, ...]:
    there = {stay.place for stay in stays if covers(stay, at)}
    return tuple(sorted(there, key=lambda place: (place.switch, place.port, place.vlan or 0)))


def covers(stay: Stay, at: datetime) -> bool:
    return stay.began_at <= at and (stay.ended_at is None or stay.ended_at > at)
