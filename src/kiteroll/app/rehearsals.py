"""Rehearsals: changed rules over the recorded past, one at a time, with progress; they touch nothing live."""

import logging
import threading
from collections import OrderedDict, deque
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from functools import partial
from itertools import count

from sqlalchemy import Connection

from kiteroll.app.inventory_names import InventoryNames
from kiteroll.app.logs import fields
from kiteroll.clock import Clock
from kiteroll.core.errors import Conflict, Invalid, KiteRollError, NotFound
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.chunks import chunks
from kiteroll.core.policy.occupancy import NotCounted
from kiteroll.core.policy.port_rules import OnBreach
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.port_actions.breaches import fingerprint
from kiteroll.core.rehearsal.rehearsal import Rehearsal, RehearsalResult, SwitchPast
from kiteroll.store import finding_inputs, inventory, rehearsal_inputs
from kiteroll.store.database import Database
from kiteroll.store.port_actions import note_rehearsed
from kiteroll.store.ports import port_ids

log = logging.getLogger(__name__)
LONGEST = timedelta(days=400)
_AT_ONCE = 20
"""Switches whose past is fetched together."""
_AHEAD = 2
"""Fetches that are under way, or wait to be gone through."""
_KEPT = 10
"""Rehearsals whose results are kept, the latest; until the service stops."""


@dataclass(frozen=True, slots=True, kw_only=True)
class RehearsalScope:
    """What is rehearsed; None leaves a criterion out."""

    since: datetime
    until: datetime
    site: str | None = None
    switch: str | None = None
    group: str | None = None


@dataclass(slots=True, kw_only=True)
class RehearsalRun:
    """One rehearsal, as it goes on."""

    number: int
    scope: RehearsalScope
    began_at: datetime
    changes: int
    """Values in which its rules differ from those in force."""
    switches: int = 0
    done: int = 0
    """Switches gone through."""
    state: str = "running"
    """`running`, `done`, `cancelled` or `failed`."""
    error: str = ""
    ended_at: datetime | None = None
    result: RehearsalResult | None = None
    cancel: threading.Event = field(default_factory=threading.Event)


class Rehearsals:
    def __init__(self, database: Database, thresholds: Callable[[], Thresholds], clock: Clock) -> None:
        self._database = database
        self._thresholds = thresholds
        self._clock = clock
        self._numbers = count(1)
        self._lock = threading.Lock()
        self._runs: OrderedDict[int, RehearsalRun] = OrderedDict()
        self._thread: threading.Thread | None = None

    def begin(self, rules: RuleBook, scope: RehearsalScope, changes: int) -> RehearsalRun:
        """Rehearse these rules. Raises Invalid for a time that is none, NotFound for a scope without
        switches, Conflict while another one runs."""
        now = self._clock.now()
        scope = RehearsalScope(
            since=scope.since,
            until=min(scope.until, now),
            site=scope.site,
            switch=scope.switch,
            group=scope.group,
        )
        if not timedelta(0) < scope.until - scope.since <= LONGEST:
            raise Invalid(f"rehearsal: its time must end after it begins, at most {LONGEST.days} days later")
        switches = self._database.run(
            rehearsal_inputs.switches_with_past, scope.site, scope.switch, scope.group
        )
        if not switches:
            InventoryNames.read(self._database).check(
                switches=(scope.switch,), sites=(scope.site,), groups=(scope.group,)
            )
            wanted = scope.switch or scope.group or scope.site or "any"
            raise NotFound("switch to rehearse", wanted, "nothing is recorded of it")
        with self._lock:
            running = next((one for one in self._runs.values() if one.state == "running"), None)
            if running is not None:
                raise Conflict(
                    f"rehearsal {running.number} is running ({running.done} of {running.switches} switches): "
                    "wait for it, or cancel it"
                )
            run = RehearsalRun(
                number=next(self._numbers),
                scope=scope,
                began_at=now,
                changes=changes,
                switches=len(switches),
            )
            self._runs[run.number] = run
            while len(self._runs) > _KEPT:
                self._runs.popitem(last=False)
            self._thread = threading.Thread(
                target=self._run, args=(run, rules, switches), name=f"rehearsal:{run.number}", daemon=True
            )
            self._thread.start()
        return run

    def all(self) -> list[RehearsalRun]:
        """Latest first."""
        return list(reversed(self._runs.values()))

    def get(self, number: int) -> RehearsalRun:
        """Raises NotFound."""
        run = self._runs.get(number)
        if run is None:
            hint = f"the latest {_KEPT} are kept, until the service stops"
            raise NotFound("rehearsal", str(number), hint)
        return run

    def cancel(self, number: int) -> RehearsalRun:
        """Raises NotFound, or Conflict when it does not run."""
        run = self.get(number)
        if run.state != "running":
            raise Conflict(f"rehearsal {number} is not running: it is {run.state}")
        run.cancel.set()
        thread = self._thread
        if thread is not None:
            thread.join(timeout=10)
        return run

    def stop(self) -> None:
        """The service stops."""
        for run in self._runs.values():
            run.cancel.set()
        if self._thread is not None:
            self._thread.join(timeout=10)

    def _run(self, run: RehearsalRun, rules: RuleBook, switches: list[tuple[int, str]]) -> None:
        try:
            self._rehearse(run, rules, switches)
        except KiteRollError as wrong:
            run.error, run.state = str(wrong), "failed"
        except Exception:
            log.exception("a rehearsal failed", extra=fields("rehearsal.failed", number=run.number))
            run.error, run.state = "it failed; the service's log has the details", "failed"
        finally:
            run.ended_at = self._clock.now()

    def _rehearse(self, run: RehearsalRun, rules: RuleBook, switches: list[tuple[int, str]]) -> None:
        not_counted = NotCounted(
            self._database.run(inventory.switch_addresses),
            self._database.run(finding_inputs.shared_addresses),
        )
        since, until = run.scope.since, run.scope.until
        rehearsal = Rehearsal(
            rules,
            not_counted,
            since,
            until,
            delay=self._thresholds().port_rule_delay,
            again_after=self._thresholds().condition_clear_after,
        )
        # The database works on the next switches while these are gone through.
        with ThreadPoolExecutor(1, thread_name_prefix="rehearsal-records") as ahead:
            parts = deque(chunks([number for number, _ in switches], _AT_ONCE))
            coming: deque[Future[list[SwitchPast]]] = deque()
            while parts or coming:
                if run.cancel.is_set():
                    run.state = "cancelled"
                    return
                while parts and len(coming) < _AHEAD:
                    fetch = partial(self._database.run, rehearsal_inputs.pasts_of)
                    coming.append(ahead.submit(fetch, parts.popleft(), since, until))
                for past in coming.popleft().result():
                    rehearsal.add(past)
                    run.done += 1
        run.result = rehearsal.result()
        self._database.run(_note_rehearsed, rules, switches, self._clock.now())
        run.state = "done"


def _note_rehearsed(
    connection: Connection, rules: RuleBook, switches: list[tuple[int, str]], at: datetime
) -> None:
    """Rules that close ports may do so once they were rehearsed, as they are."""
    if not any(rule.on_breach is OnBreach.CLOSE for rule in rules.rules.values()):
        return  # as nearly always: no port need be looked at
    found = {
        fingerprint(name, rule)
        for number, name in switches
        for port in port_ids(connection, number)
        if (rule := rules.rule((name, port))).on_breach is OnBreach.CLOSE
    }
    note_rehearsed(connection, sorted(found), at)
