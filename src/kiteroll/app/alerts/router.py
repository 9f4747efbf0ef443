"""Decides which findings are sent by which route, and puts the messages into the outbox.

What was sent is known from the outbox: a service that was killed sends what it had not sent, and nothing
twice.
"""

import logging
import threading
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from sqlalchemy import Connection

from kiteroll.app.alerts.wording import content_of
from kiteroll.app.events import AuditAppended, EventBus, FindingChanged, InventoryChanged
from kiteroll.app.logs import fields
from kiteroll.clock import Clock
from kiteroll.core.alerts.plan import Planned, Sent, planned
from kiteroll.core.alerts.planned_work import PlannedWork, is_covered
from kiteroll.core.alerts.route import AlertReason, Route, Where
from kiteroll.core.alerts.settling import is_at_loop, settles_after
from kiteroll.core.errors import StorageUnavailable
from kiteroll.core.findings.contested import ends_of_loops
from kiteroll.core.findings.finding import Finding, State
from kiteroll.store import alert_settings, findings, outbox
from kiteroll.store.alert_settings import TargetRow
from kiteroll.store.database import Database
from kiteroll.store.inventory import all_switches
from kiteroll.store.outbox import NewMessage

log = logging.getLogger(__name__)
STEP_S = 0.5
LOOK_AT_ALL = timedelta(seconds=15)
"""How often every live finding is looked at: for reminders, hours that begin, planned work that ends."""
_RECENTLY = timedelta(days=1)


@dataclass(frozen=True, slots=True)
class _Settings:
    targets: Mapping[str, TargetRow] = field(default_factory=dict)
    routes: Sequence[Route] = ()
    works: Sequence[PlannedWork] = ()
    places: Mapping[str, Where] = field(default_factory=dict)
    """By switch."""
    intervals: Mapping[str, timedelta] = field(default_factory=dict)
    """Between two readings, by switch."""

    def has(self, target: str) -> bool:
        row = self.targets.get(target)
        return row is not None and row.enabled

    def settles_after(self, finding: Finding) -> timedelta:
        """How long it must stand before it is sent."""
        intervals = [self.intervals[name] for name in finding.switches if name in self.intervals]
        return settles_after(finding.kind, max(intervals, default=timedelta(0)))


@dataclass(slots=True)
class _Seen:
    """A finding since it opened last."""

    times_opened: int
    at: datetime
    """When it was noticed here."""
    sent: dict[str, list[Sent]] = field(default_factory=dict)
    """By route."""

    @property
    def done_with(self) -> bool:
        """Whether every route that sent it has sent that it is over."""
        return all(any(one.reason is AlertReason.OVER for one in each) for each in self.sent.values())


@dataclass(frozen=True, slots=True)
class _Plan:
    finding: Finding
    places: tuple[Where, ...]
    route: Route
    what: Planned


class AlertRouter:
    def __init__(
        self,
        database: Database,
        clock: Clock,
        bus: EventBus,
        live: Callable[[], Iterable[Finding]],
        public_url: str,
    ) -> None:
        self._database = database
        self._clock = clock
        self._live = live
        self._public_url = public_url
        self._lock = threading.Lock()
        self._changed: dict[str, Finding] = {}
        """By key; from any thread, under the lock."""
        self._seen: dict[str, _Seen] | None = None
        """By key; None until it was read from the outbox."""
        self._seen_is_old = False
        self._settings: _Settings | None = None
        self._look_at_all_at: datetime | None = None
        self._audited = True
        self._on_message: Callable[[], None] = lambda: None
        bus.subscribe(FindingChanged, self._on_finding)
        bus.subscribe(InventoryChanged, lambda _: self.settings_changed())
        bus.subscribe(AuditAppended, self._on_audit)

    def on_message(self, handler: Callable[[], None]) -> None:
        """`handler` is called, from any thread, when something was put into the outbox."""
        self._on_message = handler

    def settings_changed(self) -> None:
        """They are read anew before the next look. From any thread."""
        self._settings = None

    def switch_renamed(self, before: str, after: str) -> None:
        """What was sent of findings goes by their names: it is read anew from the outbox. From any thread."""
        self._seen_is_old = True
        self.settings_changed()

    def step(self) -> None:
        """Send what is due; blocking. While the database is away nothing is lost."""
        now = self._clock.now()
        look_at_all = self._look_at_all_at is None or now >= self._look_at_all_at
        with self._lock:
            changed, self._changed = self._changed, {}
        if not (changed or look_at_all or self._audited):
            return
        try:
            settings = self._settings
            if settings is None or look_at_all:
                self._settings = settings = self._database.run(_read_settings, now)
            self._send_audit_log(settings, now)
            if look_at_all:
                changed = {one.key: one for one in self._live()} | {
                    key: one for key, one in changed.items() if one.state is State.CLEARED
                }
            self._plan_alerts(settings, changed, now)
        except StorageUnavailable as away:
            log.warning("alerts wait for the database", extra=fields("alerts.wait", error=str(away)))
            self._put_back(changed)
            return
        if look_at_all:
            self._look_at_all_at = now + LOOK_AT_ALL

    def _plan_alerts(self, settings: _Settings, changed: Mapping[str, Finding], now: datetime) -> None:
        if self._seen is None or self._seen_is_old:
            self._seen_is_old = False
            self._seen = self._read_seen(now)
        plans: list[_Plan] = []
        early: dict[str, Finding] = {}
        loops = ends_of_loops(self._live())
        for key, finding in changed.items():
            seen = self._seen.get(key)
            if seen is None or seen.times_opened != finding.times_opened:
                seen = self._seen[key] = _Seen(finding.times_opened, now)
            settles = now - seen.at < settings.settles_after(finding) or is_at_loop(finding, loops)
            if finding.state is not State.CLEARED and settles:
                early[key] = finding
            else:
                plans += self._plans_of(settings, finding, seen, now)
        if plans:
            self._write(settings, plans, now)
        for key, finding in changed.items():
            if finding.state is State.CLEARED:
                self._seen.pop(key, None)
        self._put_back(early)

    def _plans_of(self, settings: _Settings, finding: Finding, seen: _Seen, now: datetime) -> list[_Plan]:
        places = tuple(settings.places.get(name, Where(switch=name)) for name in sorted(finding.switches))
        held_back = is_covered(settings.works, finding, places, now)
        found = []
        for route in settings.routes:
            takes = not held_back and route.takes(finding, places, now)
            plans = planned(route, finding, seen.sent.get(route.name, ()), takes=takes, now=now)
            found += [_Plan(finding, places, route, what) for what in plans if settings.has(what.target)]
        return found

    def _write(self, settings: _Settings, plans: Sequence[_Plan], now: datetime) -> None:
        assert self._seen is not None
        ids = self._database.run(findings.by_keys, sorted({one.finding.key for one in plans}))
        messages = []
        for one in plans:
            if (row := ids.get(one.finding.key)) is None:
                continue
            messages.append(
                NewMessage(
                    target=settings.targets[one.what.target].id,
                    route=one.route.name,
                    reason=one.what.reason,
                    number=one.what.number,
                    finding=row.id,
                    times_opened=one.finding.times_opened,
                    content=content_of(one.finding, row.id, one.what.reason, one.places, self._public_url),
                )
            )
        self._database.run(outbox.add_messages, messages, now)
        for one in plans:
            sent = self._seen[one.finding.key].sent.setdefault(one.route.name, [])
            sent.append(Sent(one.what.reason, now, one.what.number))
        self._on_message()

    def _send_audit_log(self, settings: _Settings, now: datetime) -> None:
        self._audited = False
        for target in settings.targets.values():
            if target.audit_log and target.enabled:
                while self._database.run(outbox.add_audit_entries, target.id, now):
                    self._on_message()

    def _read_seen(self, now: datetime) -> dict[str, _Seen]:
        found: dict[str, _Seen] = {}
        for row in self._database.run(outbox.sent_since_opened, now - _RECENTLY):
            seen = found.setdefault(row.key, _Seen(row.times_opened, now))
            seen.sent.setdefault(row.route, []).append(row.sent)
        found = {key: one for key, one in found.items() if not one.done_with}
        # Cleared, and perhaps not sent before the service ended.
        for one in self._database.run(findings.by_keys, sorted(found), State.CLEARED).values():
            self._on_finding(FindingChanged(one.finding))
        return found

    def _put_back(self, changed: Mapping[str, Finding]) -> None:
        """What is to be looked at again, unless something newer is known of it."""
        with self._lock:
            self._changed = {**changed, **self._changed}

    def _on_finding(self, event: FindingChanged) -> None:
        with self._lock:
            self._changed[event.finding.key] = event.finding

    def _on_audit(self, event: AuditAppended) -> None:
        self._audited = True


def _read_settings(connection: Connection, now: datetime) -> _Settings:
    switches = all_switches(connection)
    return _Settings(
        targets={one.name: one for one in alert_settings.all_targets(connection)},
        routes=alert_settings.all_routes(connection),
        works=[one.work for one in alert_settings.all_planned_work(connection, now)],
        places={
            one.name: Where(switch=one.name, site=one.site, groups=frozenset(one.in_groups))
            for one in switches
        },
        intervals={one.name: timedelta(seconds=one.interval_s) for one in switches},
    )
