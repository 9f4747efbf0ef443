"""What Kite Roll does to switches: it closes and reopens ports, and asks a network who is there."""

from dataclasses import dataclass

from kiteroll.app.parts.basis import Basis
from kiteroll.app.parts.reading import ReadingParts
from kiteroll.app.parts.tracking import TrackingParts
from kiteroll.app.port_actions.actor import PortActor
from kiteroll.app.port_actions.closed_ports import ClosedPorts
from kiteroll.app.port_actions.planner import ActionPlanner
from kiteroll.app.port_actions.proposals import Proposals
from kiteroll.app.port_actions.sweeps import Sweeps
from kiteroll.app.port_actions.vital_addresses import VitalAddresses
from kiteroll.app.queries.actions import ActionQueries
from kiteroll.app.queries.endpoints import EndpointQueries
from kiteroll.core.port_actions.sweep import parse_network


@dataclass(frozen=True, slots=True, kw_only=True)
class ActingParts:
    actor: PortActor
    closed_ports: ClosedPorts
    proposals: Proposals
    actions: ActionQueries
    sweeps: Sweeps


def build_acting(
    basis: Basis, tracking: TrackingParts, reading: ReadingParts, endpoints: EndpointQueries
) -> ActingParts:
    config, storage, clock = basis.config, basis.storage, basis.clock
    background, limits = storage.background, config.reading.limits()
    vital = VitalAddresses(background, background.hosts if config.database.url else ())
    planner = ActionPlanner(
        background,
        storage.vault,
        tracking.fleet,
        tracking.topology,
        endpoints,
        vital,
        lambda: config.acting.limits,
        limits,
        clock,
    )
    read_next = reading.reads.read_next
    actor = PortActor(background, planner, read_next, lambda: config.acting.reopens, clock)
    networks = [parse_network(one) for one in config.acting.ask_networks]
    return ActingParts(
        actor=actor,
        closed_ports=ClosedPorts(background, actor, clock),
        proposals=Proposals(storage.database, actor, clock),
        actions=ActionQueries(storage.database),
        sweeps=Sweeps(background, tracking.fleet, read_next, networks, config.acting.ask_rate, clock),
    )
