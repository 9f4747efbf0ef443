"""What differs between two instants, address by address."""

from collections.abc import Callable, Sequence
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
    mac: MacAddress,
    stays: Sequence[Stay],
    first_seen_at: datetime,
    begin: datetime,
    end: datetime,
    at_access: Callable[[Stay, datetime], bool],
) -> Difference | None:
    """`stays`: those of the address that cover `begin` or `end`; `at_access`: whether one was there at an
    instant, and its port an access port then: no address is at an uplink. None when it was at the same places
    at both instants. A quiet address counts as there."""
    at_begin, at_end = ([stay for stay in stays if at_access(stay, at)] for at in (begin, end))
    before, after = _places(at_begin), _places(at_end)
    if before == after:
        return None
    stayed = any(covers(stay, begin) and covers(stay, end) for stay in (*at_begin, *at_end))
    if stayed and not (before and after):
        return None  # it is where it was: another role of its port alone is no coming or going
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


def _places(stays: Sequence[Stay]) -> tuple[Place, ...]:
    there = {stay.place for stay in stays}
    return tuple(sorted(there, key=lambda place: (place.switch, place.port, place.vlan or 0)))


def covers(stay: Stay, at: datetime) -> bool:
    return stay.began_at <= at and (stay.ended_at is None or stay.ended_at > at)
