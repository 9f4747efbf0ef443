"""The whole service, put together from its groups of parts."""

from collections.abc import Callable, Iterator
from contextlib import ExitStack
from dataclasses import dataclass, fields
from typing import Any

from kiteroll.app.config import Config
from kiteroll.app.events import EventBus
from kiteroll.app.kept_answers import KeptAnswers
from kiteroll.app.parts.access import AccessParts, build_access
from kiteroll.app.parts.acting import ActingParts, build_acting
from kiteroll.app.parts.basis import Basis
from kiteroll.app.parts.findings import FindingParts, build_findings
from kiteroll.app.parts.queries import QueryParts, build_queries
from kiteroll.app.parts.reading import ReadingParts, build_reading
from kiteroll.app.parts.rules import RuleParts, build_rules
from kiteroll.app.parts.tracking import TrackingParts, build_tracking
from kiteroll.app.queries.endpoints import EndpointQueries
from kiteroll.app.runtime_settings import RuntimeSettings
from kiteroll.app.serving.following import Following
from kiteroll.app.storage import OnWaiting, Storage, open_followed, open_storage
from kiteroll.app.supervisor import Supervisor
from kiteroll.app.traces import Traces, make_traces
from kiteroll.clock import Clock


@dataclass(frozen=True, slots=True, kw_only=True)
class Parts:
    """For wiring only: hand out single parts, never this."""

    storage: Storage
    settings: RuntimeSettings
    bus: EventBus
    supervisor: Supervisor
    traces: Traces
    kept_answers: KeptAnswers
    following: Following | None
    """How this service stands to the one that tracks; None where it tracks itself."""
    access: AccessParts
    tracking: TrackingParts
    reading: ReadingParts
    acting: ActingParts
    findings: FindingParts
    queries: QueryParts
    rules: RuleParts

    def for_routes(self) -> Iterator[Any]:
        """Each part that a route may ask for."""
        yield self.settings
        groups = (self.access, self.tracking, self.reading, self.acting)
        for group in (*groups, self.findings, self.queries, self.rules):
            yield from (getattr(group, one.name) for one in fields(group))


def build(
    config: Config,
    clock: Clock,
    stack: ExitStack,
    on_must_stop: Callable[[], None],
    *,
    on_waiting: OnWaiting = lambda why: None,
    only_answers: bool = False,
) -> Parts:
    """Everything the service is made of that needs no event loop; blocking, nothing runs yet. What was opened
    is closed in reverse order when `stack` unwinds, also when this fails half-way. `only_answers`: as in
    `Basis`. Raises ConfigError, StorageUnavailable or Conflict."""
    storage = (open_followed if only_answers else open_storage)(config, stack, on_waiting)
    settings = RuntimeSettings(storage.background, clock, config)
    settings.load()
    traces = make_traces(config.traces.endpoint, config.traces.headers, config.traces.share)
    stack.callback(traces.close)
    basis = Basis(
        config=config,
        storage=storage,
        settings=settings,
        bus=EventBus(),
        supervisor=Supervisor(clock, on_must_stop),
        traces=traces,
        clock=clock,
        stack=stack,
        following=Following() if only_answers else None,
    )
    access = build_access(basis)
    tracking = build_tracking(basis)
    reading = build_reading(basis, tracking)
    endpoints = EndpointQueries(
        storage.database, tracking.topology, tracking.makers, clock, lambda: findings.worker.contested()
    )
    acting = build_acting(basis, tracking, reading, endpoints)
    findings = build_findings(basis, tracking, reading, acting)
    queries = build_queries(basis, tracking, endpoints, findings)
    return Parts(
        storage=storage,
        settings=settings,
        bus=basis.bus,
        supervisor=basis.supervisor,
        traces=traces,
        kept_answers=KeptAnswers(storage.database, storage.vault, clock),
        following=basis.following,
        access=access,
        tracking=tracking,
        reading=reading,
        acting=acting,
        findings=findings,
        queries=queries,
        rules=build_rules(basis, tracking, acting, findings, queries),
    )
