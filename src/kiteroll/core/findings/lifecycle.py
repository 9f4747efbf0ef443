"""The lifecycle of findings: open, gather evidence, be acknowledged, clear, reopen.

One finding per kind and subject, however often it comes: evidence is added, never a second finding.
"""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from heapq import heappop, heappush
from itertools import chain

from kiteroll.core.findings.evidence import Evidence, LinkChanged, LinkSteady, in_order
from kiteroll.core.findings.finding import MAX_EVIDENCE, Detection, Finding, FindingKind, State
from kiteroll.core.findings.registry import CONDITIONS, EXPLAINING, KINDS, RECORDED, clear_after
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.findings.unseen import may_go_on_unseen
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.uptime import CLOCK_JITTER
from kiteroll.core.tracking.switch_health import SwitchCondition

_SETTLES_WITHIN = timedelta(minutes=10)
"""After a loop is over, addresses are learned at their own ports again."""
EXPLAINS_FOR = timedelta(hours=1)
"""For so long after its last evidence what is over explains what happened while it lasted."""
_LOOK_AGAIN = timedelta(minutes=1)
_NONE: Mapping[str, SwitchCondition] = {}
_OUTAGE_SPREADS = timedelta(minutes=30)
"""Each switch is read at its own interval: of an outage, some are found silent long before others."""
LEAD = timedelta(minutes=2)
"""A loop makes addresses jump for a while before enough of them are seen to call it one."""


class FindingLifecycle:
    def __init__(self, thresholds: Thresholds, findings: Iterable[Finding] = ()) -> None:
        """`findings`: from an earlier run, those that are not cleared, and those that explain others and
        cleared lately."""
        self.thresholds = thresholds
        self._live: dict[str, Finding] = {}
        self._due: list[tuple[datetime, str]] = []
        """A heap: when which is to be checked, for tens of thousands may be live."""
        # Thousands of moves may be live; what could explain one of them is of a few other kinds.
        self._of_kind: dict[FindingKind, dict[str, Finding]] = {kind: {} for kind in FindingKind}
        self._over: dict[str, Finding] = {}
        """Those that cleared lately and explain others: what the engine comes to late was still theirs."""
        self._missing: set[str] = set()
        """Switches of live findings that were not in the inventory at the last look."""
        for finding in findings:
            if finding.state is not State.CLEARED:
                self._put(finding)
            elif finding.kind in EXPLAINING:
                self._over[finding.key] = finding

    def live(self) -> Mapping[str, Finding]:
        """Findings that are not cleared, by key."""
        return self._live

    def remembered(self) -> list[Finding]:
        """What another lifecycle has to begin with to go on from here."""
        return [*self._live.values(), *self._over.values()]

    def loops(self) -> Collection[Finding]:
        """Those that are not cleared."""
        return self._of_kind[FindingKind.LOOP].values()

    def silent_ports(self) -> set[PortRef]:
        """Those that are reported as silent."""
        live = self._of_kind[FindingKind.SILENT_PORT].values()
        return {(one.subject.switch, one.subject.port) for one in live}

    def switches_not_read(self) -> set[str]:
        """Those that are reported as not read."""
        return {one.subject.switch for one in self._of_kind[FindingKind.NOT_READ].values()}

    def unknown(self, detections: Iterable[Detection]) -> list[str]:
        """Keys of those that belong to no live finding: one that was cleared may reopen."""
        return [one.key for one in detections if one.key not in self._live]

    def apply(self, detections: Sequence[Detection], cleared: Mapping[str, Finding]) -> list[Finding]:
        """The findings after these detections, and those they now explain; each once, at its last state.
        `cleared`: earlier findings by key, for those that reopen."""
        changed: dict[str, Finding] = {}
        # What explains most kinds goes first, so that the others open as part of it.
        for detection in sorted(detections, key=lambda one: -len(KINDS[one.kind].explains)):
            for finding in self._apply(detection, cleared.get(detection.key)):
                changed[finding.key] = finding
        return list(changed.values())

    def _apply(self, detection: Detection, before: Finding | None) -> list[Finding]:
        """None when the detection is old news. What explains a finding is decided again with each
        detection: evidence that comes when a loop is over speaks for itself, what came while it lasted
        stays part of it."""
        known = self._live.get(detection.key)
        if known is None:
            if before is not None and detection.last_at <= _known_until(before):
                return []
            finding = _reopened(before, detection) if before is not None else _opened(detection)
        else:
            if detection.last_at <= known.last_at:
                return []
            finding = _gathered(known, detection)
        # By what is new of it: an address that was in a loop and moves afterwards has moved, also when the
        # finding is one that was there during the loop.
        new = replace(finding, ports=detection.ports, first_at=detection.first_at)
        finding = replace(finding, part_of=self._explained_by(new))
        self._put(finding)
        return [finding, *self._newly_explained(finding)]

    def expire(
        self,
        now: datetime,
        switches: Mapping[str, SwitchCondition] = _NONE,
        shown: Collection[str] = (),
    ) -> list[Finding]:
        """Findings that changed with time alone: quiet for long enough, or no longer acknowledged.
        `switches`: how those of the inventory are doing, by name; `shown`: keys of what the last look found
        to be so, as far as readings show."""
        changed = []
        while self._due and self._due[0][0] <= now:
            finding = self._live.get(heappop(self._due)[1])
            if finding is None or self._due_at(finding) > now:
                continue  # cleared by hand, or put off by later evidence, which has an entry of its own
            quiet = now - finding.last_at >= clear_after(finding.kind, self.thresholds)
            if quiet and not (
                finding.key in shown
                or self._hidden_by_loop(finding, now)
                or may_go_on_unseen(finding, switches, now)
            ):
                changed.append(self._over_with(finding, now))
            elif finding.acknowledged_until is not None and finding.acknowledged_until <= now:
                changed.append(self._put(replace(finding, state=State.OPEN, acknowledged_until=None)))
            else:
                heappush(self._due, (now + _LOOK_AGAIN, finding.key))
        return changed

    def end_unrecorded(self, found: Sequence[Detection], now: datetime) -> list[Finding]:
        """Findings that the service's own records would show, when these are all they show: what is not among
        `found` is over."""
        keys = {one.key for one in found}
        ended = [one for kind in RECORDED for one in self._of_kind[kind].values() if one.key not in keys]
        return [self._over_with(one, now) for one in ended]

    def end_of_switches(self, known: Collection[str], off: Collection[str], now: datetime) -> list[Finding]:
        """How things are on a switch that left the inventory is over, once it was missing at two looks: one
        that is renamed is missing for a moment. So is that one is not read which is `off`, not to be read."""
        live = [one for kind in CONDITIONS for one in self._of_kind[kind].values() if one.subject.switch]
        missing = {one.subject.switch for one in live} - set(known)
        gone, self._missing = missing & self._missing, missing
        ended = [
            one
            for one in live
            if one.subject.switch in gone or (one.kind is FindingKind.NOT_READ and one.subject.switch in off)
        ]
        return [self._over_with(one, now) for one in ended]

    def next_due(self) -> datetime | None:
        """When time alone changes a finding next, at the earliest."""
        return self._due[0][0] if self._due else None

    def clears_at(self, finding: Finding) -> datetime | None:
        """When it clears if nothing comes before; None when it is cleared."""
        if finding.state is State.CLEARED:
            return None
        return finding.last_at + clear_after(finding.kind, self.thresholds)

    def acknowledge(self, key: str, by: str, note: str, until: datetime | None) -> Finding | None:
        """None when it is not live."""
        known = self._live.get(key)
        if known is None:
            return None
        return self._put(
            replace(known, state=State.ACKNOWLEDGED, acknowledged_by=by, note=note, acknowledged_until=until)
        )

    def clear(self, key: str, by: str, now: datetime) -> Finding | None:
        """None when it is not live."""
        known = self._live.get(key)
        if known is None:
            return None
        return self._over_with(known, now, by)

    def _hidden_by_loop(self, finding: Finding, now: datetime) -> bool:
        """Whether its address is pulled away by a loop: then a table does not show that it is over."""
        return (
            finding.kind is FindingKind.STRANGER
            and finding.state is State.OPEN
            and any(
                finding.subject.mac in loop.details.macs and now - loop.last_at <= _SETTLES_WITHIN
                for loop in self.loops()
            )
        )

    def _due_at(self, finding: Finding) -> datetime:
        clears_at = finding.last_at + clear_after(finding.kind, self.thresholds)
        if finding.state is State.ACKNOWLEDGED and finding.acknowledged_until is not None:
            return min(clears_at, finding.acknowledged_until)
        return clears_at

    def _explained_by(self, finding: Finding) -> str:
        kinds = [info.kind for info in KINDS.values() if finding.kind in info.explains]
        live = chain.from_iterable(self._of_kind[kind].values() for kind in kinds)
        over = (one for one in self._over.values() if one.kind in kinds and _while_it_lasted(one, finding))
        return next((other.key for other in chain(live, over) if _explains(other, finding)), "")

    def _newly_explained(self, finding: Finding) -> list[Finding]:
        """Findings that were there before the one that explains them."""
        kinds = sorted(KINDS[finding.kind].explains)
        others = chain.from_iterable(self._of_kind[kind].values() for kind in kinds)
        explained = [other for other in others if not other.part_of and _explains(finding, other)]
        return [self._put(replace(other, part_of=finding.key)) for other in explained]

    def _put(self, finding: Finding) -> Finding:
        self._live[finding.key] = self._of_kind[finding.kind][finding.key] = finding
        self._over.pop(finding.key, None)
        heappush(self._due, (self._due_at(finding), finding.key))
        return finding

    def _over_with(self, finding: Finding, now: datetime, by: str = "") -> Finding:
        """It is cleared, and not live any more."""
        finding = replace(finding, state=State.CLEARED, cleared_at=now, cleared_by=by)
        del self._live[finding.key], self._of_kind[finding.kind][finding.key]
        self._over = {key: one for key, one in self._over.items() if now - one.last_at < EXPLAINS_FOR}
        if finding.kind in EXPLAINING:
            self._over[finding.key] = finding
        return finding


def _while_it_lasted(over: Finding, other: Finding) -> bool:
    """Whether a finding began before that other was over."""
    return over.began_at - LEAD <= other.first_at <= over.last_at


def _explains(one: Finding, other: Finding) -> bool:
    if other.kind not in KINDS[one.kind].explains or one.key == other.key:
        return False
    if other.kind is FindingKind.NOT_READ:
        return _keeps_from_answering(one, other)
    if one.subject.mac is not None and other.subject.mac is not None:
        # A move long after an address was jumping is no part of that.
        return one.subject.mac == other.subject.mac and other.last_at <= one.last_at + _SETTLES_WITHIN
    if one.kind is FindingKind.TOPOLOGY_CHANGE and other.subject.mac not in (None, *one.details.macs):
        return False
    if one.kind is FindingKind.SWITCH_REPLACED:
        near = one.opened_at - LEAD <= other.opened_at <= one.last_at + _SETTLES_WITHIN
        return near and {one.subject.switch} == {switch for switch, _ in other.ports} | {
            other.subject.switch or one.subject.switch
        }
    if one.kind is FindingKind.MOVED_TOGETHER:
        return one.details.ports == (other.details.ports[0], other.details.ports[-1])
    if other.kind is FindingKind.TABLE_FILLING:
        return one.subject.switch == other.subject.switch
    if one.kind is FindingKind.LOOP:
        if other.opened_at < one.began_at - LEAD:
            return False  # it was there before the loop, which only adds to it
        if other.last_at > one.last_at + _SETTLES_WITHIN:
            return False
        about = {other.subject.mac, *other.details.macs} - {None}
        if other.kind is FindingKind.OVERFULL:
            # Only the ends of the loop itself, and only where nobody is there but who was pulled there.
            ends = (other.subject.switch, other.subject.port) in one.details.ports
            return ends and about <= set(one.details.macs)
        moves = other.kind in (FindingKind.MOVED, FindingKind.FLAPPING)
        if moves and not set(one.details.ports).isdisjoint(other.details.ports):
            return True  # whoever is learned at an end of a loop is not there
        if about:
            # What circulates reaches the whole VLAN: addresses jump far from the loop as well. But only an
            # address that was pulled itself is explained; and what is at other ports only has moved.
            jumped = not about.isdisjoint(one.details.macs)
            return jumped and (other.kind is not FindingKind.MOVED or bool(one.ports & other.ports))
    return bool(one.ports & other.ports)


def _keeps_from_answering(one: Finding, other: Finding) -> bool:
    """Whether a switch is not read for what keeps many, or one on the way to it, from answering. One that was
    silent long before, or still is when that is over, is a finding of its own."""
    if one.state is State.CLEARED or other.began_at < one.began_at - _OUTAGE_SPREADS:
        return False
    return one.kind is FindingKind.SWITCHES_LATE or one.subject.switch == other.details.behind


def _known_until(cleared: Finding) -> datetime:
    """Up to when what happened is known of one that is over. Who cleared it by hand knew all there was; what
    cleared by itself did so for want of evidence, which may still have been on its way."""
    if cleared.cleared_by and cleared.cleared_at is not None:
        return max(cleared.last_at, cleared.cleared_at)
    return cleared.last_at


def _opened(detection: Detection) -> Finding:
    return Finding(
        kind=detection.kind,
        subject=detection.subject,
        severity=detection.severity,
        cause=detection.cause,
        details=detection.details,
        state=State.OPEN,
        evidence=detection.evidence[-MAX_EVIDENCE:],
        count=max(1, len(detection.evidence)),
        first_at=detection.first_at,
        opened_at=detection.last_at,
        last_at=detection.last_at,
        ports=detection.ports,
    )


def _reopened(before: Finding, detection: Detection) -> Finding:
    evidence, new = _joined(before.evidence, detection.evidence)
    opened = _opened(detection)
    return replace(
        opened,
        opened_at=max(opened.opened_at, before.cleared_at or opened.opened_at),
        evidence=evidence,
        count=before.count + max(1, new),
        times_opened=before.times_opened + 1,
        first_at=before.first_at,
    )


def _gathered(known: Finding, detection: Detection) -> Finding:
    evidence, new = known.evidence, 0
    if not KINDS[detection.kind].condition:  # how something is needs reporting once
        evidence, new = _joined(known.evidence, detection.evidence)
    return replace(
        known,
        severity=detection.severity,
        cause=detection.cause,
        details=detection.details,
        evidence=evidence,
        count=known.count + new,
        last_at=detection.last_at,
        ports=known.ports | detection.ports,
    )


def _joined(known: tuple[Evidence, ...], more: tuple[Evidence, ...]) -> tuple[tuple[Evidence, ...], int]:
    """All evidence in order of time, the latest of it, and how many pieces are new."""
    seen = set(known)
    links = [one for one in known if isinstance(one, LinkChanged | LinkSteady)]
    new = [one for one in more if one not in seen and not any(_same_change(one, link) for link in links)]
    return in_order([*known, *new])[-MAX_EVIDENCE:], len(new)


def _same_change(one: Evidence, link: LinkChanged | LinkSteady) -> bool:
    """Whether both are about the same change of the same link."""
    return type(one) is type(link) and one.port == link.port and abs(one.at - link.at) < CLOCK_JITTER
