"""Who should be where, and what is done where that is broken."""

from dataclasses import dataclass

from kiteroll.app.enrolment import Enrolment
from kiteroll.app.kept_rules import KeptRules
from kiteroll.app.parts.acting import ActingParts
from kiteroll.app.parts.basis import Basis
from kiteroll.app.parts.findings import FindingParts
from kiteroll.app.parts.queries import QueryParts
from kiteroll.app.parts.tracking import TrackingParts
from kiteroll.app.port_actions.breach_actions import BreachActions
from kiteroll.app.port_rules import PortRules
from kiteroll.app.queries.roll_call import RollCalls
from kiteroll.app.rehearsals import Rehearsals
from kiteroll.app.shared_addresses import SharedAddresses


@dataclass(frozen=True, slots=True, kw_only=True)
class RuleParts:
    port_rules: PortRules
    roll_calls: RollCalls
    enrolment: Enrolment
    rehearsals: Rehearsals
    shared_addresses: SharedAddresses
    breach_actions: BreachActions


def build_rules(
    basis: Basis, tracking: TrackingParts, acting: ActingParts, findings: FindingParts, queries: QueryParts
) -> RuleParts:
    database, background = basis.storage.database, basis.storage.background
    bus, clock, worker = basis.bus, basis.clock, findings.worker
    kept = KeptRules(database)
    port_rules = PortRules(database, kept, clock, bus)
    roll_calls = RollCalls(
        database,
        kept,
        tracking.topology,
        tracking.fleet,
        tracking.makers,
        queries.search,
        worker.claimed_uplinks,
        clock,
    )
    rehearsals = Rehearsals(background, lambda: basis.settings.thresholds, clock)
    basis.stack.callback(rehearsals.stop)
    return RuleParts(
        port_rules=port_rules,
        roll_calls=roll_calls,
        enrolment=Enrolment(database, port_rules, roll_calls, queries.endpoints, clock),
        rehearsals=rehearsals,
        shared_addresses=SharedAddresses(database, bus),
        breach_actions=BreachActions(
            background,
            acting.actor,
            worker.live,
            port_rules.book,
            lambda: basis.config.acting.limits,
            bus,
            clock,
        ),
    )
