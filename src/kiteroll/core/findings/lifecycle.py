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
from kiteroll.core.findings.registry import CONDITIONS, EXPLAINED_BY, EXPLAINING, KINDS, RECORDED, clear_after
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
        self._due_of: dict[str, datetime] = {}
        """By key: when it is checked next. A heap gives up none of what is not on top, so one that is put off
        keeps its place, and gets another when its turn comes."""
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

    def apply(
        self,
        detections: Sequence[Detection],
        cleared: Mapping[str, Finding],
        looked_at: datetime | None = None,
    ) -> list[Finding]:
        """The findings after these detections, and those they now explain; each once, at its last state.
        `cleared`: earlier findings by key, for those that reopen. `looked_at`: when it was looked at how
        things are, if it was: all of that is among `detections`. What only goes on has not changed."""
        changed: dict[str, Finding] = {}
        # What explains most kinds goes first, so that the others open as part of it.
        for detection in sorted(detections, key=lambda one: -len(KINDS[one.kind].explains)):
            key = detection.key
            for finding in self._apply(detection, self._live.get(key), cleared.get(key), looked_at):
                changed[finding.key] = finding
        if looked_at is not None:
            changed |= {one.key: one for one in self._not_found_again(looked_at)}
        return list(changed.values())

    def _apply(
        self,
        detection: Detection,
        known: Finding | None,
        before: Finding | None,
        looked_at: datetime | None,
    ) -> list[Finding]:
        """None when the detection is old news, or says what is known. What explains a finding is decided
        again with each detection: evidence that comes when a loop is over speaks for itself, what came while
        it lasted stays part of it."""
        info = KINDS[detection.kind]
        if known is not None:
            if detection.last_at <= known.last_at:
                return []
            finding = _gathered(known, detection)
        else:
            if before is not None and detection.last_at <= _known_until(before):
                return []
            finding = _reopened(before, detection) if before is not None else _opened(detection)
        goes_on = info.condition and not info.by_readings and detection.last_at == looked_at
        part_of = self._explained_by(finding, detection)
        if goes_on != finding.goes_on or part_of != finding.part_of:
            finding = replace(finding, goes_on=goes_on, part_of=part_of)
        elif goes_on and known is not None and _says_the_same(finding, known):
            self._put(finding)
            return []
        self._put(finding)
        return [finding, *self._newly_explained(finding)]

    def _not_found_again(self, looked_at: datetime) -> list[Finding]:
        """Those that went on until the look before this one."""
        live = chain.from_iterable(self._of_kind[kind].values() for kind in CONDITIONS)
        ended = [one for one in live if one.goes_on and one.last_at < looked_at]
        return [self._put(replace(one, goes_on=False)) for one in ended]

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
            at, key = heappop(self._due)
            if self._due_of.get(key) != at:
                continue  # it was to be checked sooner, and was
            del self._due_of[key]
            finding = self._live.get(key)
            if finding is None:
                continue
            if self._due_at(finding) > now:
                self._check_at(key, self._due_at(finding))
                continue
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
                self._check_at(key, now + _LOOK_AGAIN)
        return changed

    def _check_at(self, key: str, at: datetime) -> None:
        known = self._due_of.get(key)
        if known is None or at < known:
            self._due_of[key] = at
            heappush(self._due, (at, key))

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

    def _explained_by(self, finding: Finding, detection: Detection) -> str:
        """Key of the one that explains it, by what is new of it: an address that was in a loop and moves
        afterwards has moved, also when the finding is one that was there during the loop."""
        kinds = EXPLAINED_BY[finding.kind]
        live = [one for kind in kinds for one in self._of_kind[kind].values()]
        over = [one for one in self._over.values() if one.kind in kinds]
        if not live and not over:
            return ""
        new = replace(finding, ports=detection.ports, first_at=detection.first_at)
        lately = (one for one in over if _while_it_lasted(one, new))
        return next((other.key for other in chain(live, lately) if _explains(other, new)), "")

    def _newly_explained(self, finding: Finding) -> list[Finding]:
        """Findings that were there before the one that explains them."""
        kinds = sorted(KINDS[finding.kind].explains)
        others = chain.from_iterable(self._of_kind[kind].values() for kind in kinds)
        explained = [other for other in others if not other.part_of and _explains(finding, other)]
        return [self._put(replace(other, part_of=finding.key)) for other in explained]

    def _put(self, finding: Finding) -> Finding:
        self._live[finding.key] = self._of_kind[finding.kind][finding.key] = finding
        self._over.pop(finding.key, None)
        self._check_at(finding.key, self._due_at(finding))
        return finding

    def _over_with(self, finding: Finding, now: datetime, by: str = "") -> Finding:
        """It is cleared, and not live any more."""
        finding = replace(finding, state=State.CLEARED, goes_on=False, cleared_at=now, cleared_by=by)
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


def _says_the_same(one: Finding, other: Finding) -> bool:
    """Whether a condition says what it said before, but for the time."""
    return (
        one.severity is other.severity
        and one.cause is other.cause
        and one.details == other.details
        and one.ports == other.ports
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
