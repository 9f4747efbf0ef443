"""Enrolment: from a list, of all who are present, and by windows whose candidates a person decides on."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from kiteroll.app.inventory_names import InventoryNames
from kiteroll.app.port_rules import Author, PortRules, RuleOutcome
from kiteroll.app.queries.endpoints import EndpointQueries, EndpointView
from kiteroll.app.queries.roll_call import RollCalls
from kiteroll.clock import Clock
from kiteroll.core.errors import Conflict, Invalid, NotFound
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.policy import csv_lists
from kiteroll.core.policy.enrolment import Candidate, Window, candidates
from kiteroll.core.policy.levels import Level
from kiteroll.core.policy.port_rules import RollStatus
from kiteroll.core.policy.roll import Enrolled
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.store import enrolment, neighbours
from kiteroll.store.database import Database
from kiteroll.store.enrolment import Decision, WindowRow

__all__ = ["CandidateView", "Decision", "Enrolment", "WindowRow", "WindowView"]

_TELEPHONE = "telephone"
"""Capability a phone announces (LLDP-MIB, LldpSystemCapabilitiesMap)."""
_MAX_CANDIDATES = 10_000


@dataclass(frozen=True, slots=True, kw_only=True)
class WindowView:
    row: WindowRow
    state: str
    """`ahead`, `open`, `over` (its candidates still wait for a decision) or `closed`."""


@dataclass(frozen=True, slots=True, kw_only=True)
class CandidateView:
    candidate: Candidate
    endpoint: EndpointView | None
    phone: bool
    """Whether a telephone announces itself there with this address (LLDP)."""
    decision: Decision | None


class Enrolment:
    def __init__(
        self,
        database: Database,
        rules: PortRules,
        roll_calls: RollCalls,
        endpoints: EndpointQueries,
        clock: Clock,
    ) -> None:
        self._database = database
        self._rules = rules
        self._roll_calls = roll_calls
        self._endpoints = endpoints
        self._clock = clock

    def from_list(self, text: str, level: Level | None, author: Author, *, dry_run: bool) -> RuleOutcome:
        """CSV; all of it or nothing. `level`: of lines that name none. Raises InvalidParts."""
        return self._rules.enrol(csv_lists.enrolments(text, level), author, dry_run=dry_run)

    def all_present(self, level: Level, author: Author, note: str, *, dry_run: bool) -> RuleOutcome:
        """Everybody present now at ports of a level, each at their port. Who is enrolled there already, and
        who is barred, is left out. Raises NotFound."""
        entries: list[Enrolled] = []
        for occupancy in self._roll_calls.occupancies(level):
            if occupancy.exempt:
                continue
            at = Level(switch=occupancy.port[0], port=occupancy.port[1])
            here = {
                one.mac
                for one in occupancy.occupants
                if one.status not in (RollStatus.ENROLLED, RollStatus.BARRED)
            }
            entries += [Enrolled(mac.digits, level=at, note=note) for mac in sorted(here)]
        return self._rules.enrol(entries, author, dry_run=dry_run)

    # --- windows --------------------------------------------------------------------------

    def windows(self) -> list[WindowView]:
        now = self._clock.now()
        return [_viewed(row, now) for row in self._database.run(enrolment.windows)]

    def window(self, number: int) -> WindowView:
        """Raises NotFound."""
        return _viewed(self._database.run(enrolment.get_window, number), self._clock.now())

    def open_window(self, window: Window, note: str, by: str) -> WindowView:
        """Raises NotFound for a level without ports, Conflict for one that overlaps another, Invalid for one
        that is over."""
        now = self._clock.now()
        if window.ends_at <= now:
            raise Invalid(f"window: it ends {window.ends_at.isoformat()}, which is over")
        book = self._rules.book()
        groups = dict(book.in_groups)
        ports = self._database.run(enrolment.ports_of_level, window.level, groups)
        if not ports:
            InventoryNames.read(self._database).check(
                switches=(window.level.switch,), groups=(window.level.group,)
            )
            raise NotFound("port", str(window.level), "no port of the inventory is at this level")
        for row in self._database.run(enrolment.windows):
            if row.closed_at is None and window.overlaps(row.window, ports.values(), groups):
                raise Conflict(
                    f"window {row.id} takes candidates at {row.window.level} until "
                    f"{row.window.ends_at:%Y-%m-%d %H:%M} UTC: close it, or take other ports"
                )
        return self.window(self._database.run(enrolment.open_window, window, note, by, now))

    def close_window(self, number: int, by: str) -> WindowView:
        """Raises NotFound."""
        self._database.run(enrolment.close_window, number, by, self._clock.now())
        return self.window(number)

    def candidates(self, number: int) -> list[CandidateView]:
        """Who was present in a window, by port and address; with what was decided on them. Those who were
        accepted are among them. Raises NotFound."""
        row = self._database.run(enrolment.get_window, number)
        judge = self._roll_calls.judge()
        groups = dict(judge.rules.in_groups)
        level, now = row.window.level, self._clock.now()
        ports = self._database.run(enrolment.ports_of_level, level, groups)
        decided = {(one.mac, one.port): one for one in self._database.run(enrolment.decisions, number)}
        until = min(now, row.window.ends_at)
        present = self._database.run(
            lambda connection: list(enrolment.presences(connection, ports, row.window.begins_at, until))
        )
        # Judged without rolls: who was accepted in this window is one of its candidates still.
        undecided = RuleBook(
            rules={at: replace(rule, roll=()) for at, rule in judge.rules.rules.items()},
            in_groups=groups,
            barred=judge.rules.barred,
        )
        found = [
            one
            for one in candidates(row.window, present, undecided, judge.exempt, judge.not_counted, now)
            if (one.mac, one.port) in decided or not _enrolled(one, judge.rules, now)
        ][:_MAX_CANDIDATES]
        about = {one.mac: one for one in self._endpoints.known(list(dict.fromkeys(one.mac for one in found)))}
        phones = self._phones()
        return [
            CandidateView(
                candidate=one,
                endpoint=about.get(one.mac),
                phone=(one.port, str(one.mac)) in phones,
                decision=decided.get((one.mac, one.port)),
            )
            for one in found
        ]

    def decide(
        self,
        number: int,
        accepted: Sequence[tuple[MacAddress, PortRef]],
        refused: Sequence[tuple[MacAddress, PortRef]],
        by: str,
        note: str,
    ) -> RuleOutcome:
        """Enrol those who are accepted at their ports, and keep what was decided on all. Raises NotFound for
        one that is no candidate, Conflict for a window that is closed."""
        row = self._database.run(enrolment.get_window, number)
        if row.closed_at is not None:
            raise Conflict(f"window {number} was closed: nothing is decided in it any more")
        known = {(one.candidate.mac, one.candidate.port) for one in self.candidates(number)}
        for mac, port in (*accepted, *refused):
            if (mac, port) not in known:
                raise NotFound("candidate", f"{mac} at {port[0]} {port[1]}", f"of window {number}")
        if twice := set(accepted) & set(refused):
            raise Invalid(f"{next(iter(twice))[0]}: accepted and refused at once")
        entries = [
            Enrolled(mac.digits, level=Level(switch=port[0], port=port[1]), note=note)
            for mac, port in accepted
        ]
        done = self._rules.enrol(entries, Author(by, note, f"window {number}"))
        now = self._clock.now()
        decisions = [
            Decision(mac=mac, port=port, accepted=yes, by=by, at=now, note=note)
            for yes, several in ((True, accepted), (False, refused))
            for mac, port in several
        ]
        self._database.run(enrolment.decide, number, decisions)
        return done

    def _phones(self) -> set[tuple[PortRef, str]]:
        found = set()
        for row in self._database.run(neighbours.neighbours_of):
            if _TELEPHONE in row.capabilities:
                found |= {((row.switch_name, row.port_name), row.chassis)}
                found |= {((row.switch_name, row.port_name), row.far_port)}
        return found


def _enrolled(one: Candidate, rules: RuleBook, now: datetime) -> bool:
    rule = rules.rule(one.port)
    return all(rule.roll.entry(one.mac, vlan, now) is not None for vlan in one.vlans or (None,))


def _viewed(row: WindowRow, now: datetime) -> WindowView:
    if row.closed_at is not None:
        state = "closed"
    elif now < row.window.begins_at:
        state = "ahead"
    else:
        state = "open" if now < row.window.ends_at else "over"
    return WindowView(row=row, state=state)
