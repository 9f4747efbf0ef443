"""What the engine and its readers know of a kind of finding, besides its rule."""

from dataclasses import dataclass

from kiteroll.core.findings.finding import FindingKind


@dataclass(frozen=True, slots=True, kw_only=True)
class KindHelp:
    """The help page of a kind, for the person who reads a finding."""

    title: str
    why: str
    """Why it matters."""
    evidence: str
    """What it looks like, and what it rests on."""
    action: str
    """What to do."""
    fewer: str
    """How to get fewer of them."""


@dataclass(frozen=True, slots=True, kw_only=True)
class KindInfo:
    kind: FindingKind
    help: KindHelp
    thresholds: tuple[str, ...] = ()
    """Names of the thresholds it is judged by."""
    condition: bool = False
    """It says how something is, not what happened: it is over as soon as it is not so."""
    by_readings: bool = False
    """A condition that a reading shows: in between nobody looks whether it is still so."""
    goes_on_unseen: bool = False
    """Only readings of the switches it is about show whether it goes on."""
    recorded: bool = False
    """A condition that the service's own records show: it is over once they are read and do not say so."""
    explains: frozenset[FindingKind] = frozenset()
    """Kinds whose findings are part of one of this kind: of the same address, or at the same ports."""
    clear_factor: int = 1
    """It clears after this many times `clear_after`."""
