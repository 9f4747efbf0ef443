"""What can be asked, and what people keep for asking: labels, links, saved queries."""

from dataclasses import dataclass

from kiteroll.app.device_links import DeviceLinks
from kiteroll.app.labels import Labels
from kiteroll.app.parts.basis import Basis
from kiteroll.app.parts.findings import FindingParts
from kiteroll.app.parts.tracking import TrackingParts
from kiteroll.app.port_actions.ageing import AgeingAdvisor
from kiteroll.app.queries.differences import Differences
from kiteroll.app.queries.endpoint_history import EndpointHistory
from kiteroll.app.queries.endpoint_list import EndpointList
from kiteroll.app.queries.endpoints import EndpointQueries
from kiteroll.app.queries.findings import FindingQueries
from kiteroll.app.queries.history import HistoryQueries
from kiteroll.app.queries.network_map import NetworkMap
from kiteroll.app.queries.paths import Paths
from kiteroll.app.queries.port_use import PortUseQueries
from kiteroll.app.queries.ports import PortQueries
from kiteroll.app.queries.search import Search
from kiteroll.app.queries.service_status import StatusQueries
from kiteroll.app.queries.switches import SwitchQueries
from kiteroll.app.queries.trends import Trends
from kiteroll.app.queries.unread_switches import UnreadSwitches
from kiteroll.app.queries.vlans import VlanQueries
from kiteroll.app.saved_queries import SavedQueries


@dataclass(frozen=True, slots=True, kw_only=True)
class QueryParts:
    search: Search
    endpoints: EndpointQueries
    endpoint_list: EndpointList
    endpoint_history: EndpointHistory
    paths: Paths
    switches: SwitchQueries
    ports: PortQueries
    port_use: PortUseQueries
    findings: FindingQueries
    differences: Differences
    unread_switches: UnreadSwitches
    network_map: NetworkMap
    history: HistoryQueries
    trends: Trends
    vlans: VlanQueries
    ageing: AgeingAdvisor
    status: StatusQueries
    labels: Labels
    device_links: DeviceLinks
    saved_queries: SavedQueries


def build_queries(
    basis: Basis, tracking: TrackingParts, endpoints: EndpointQueries, findings: FindingParts
) -> QueryParts:
    database, clock = basis.storage.database, basis.clock
    fleet, topology = tracking.fleet, tracking.topology
    switches = SwitchQueries(database, fleet, clock, lambda: basis.settings.thresholds.table_share)
    ports = PortQueries(database, topology, fleet, clock)
    search = Search(
        database,
        fleet,
        tracking.names,
        tracking.label_index,
        tracking.makers,
        endpoints,
        switches,
        ports,
        clock,
    )
    return QueryParts(
        search=search,
        endpoints=endpoints,
        endpoint_list=EndpointList(database, endpoints, tracking.makers),
        endpoint_history=EndpointHistory(database, topology, clock),
        paths=Paths(database, endpoints, search),
        switches=switches,
        ports=ports,
        port_use=PortUseQueries(database, ports, clock),
        findings=FindingQueries(database, clock),
        differences=Differences(database, clock),
        unread_switches=UnreadSwitches(database, clock),
        network_map=NetworkMap(database, switches, topology, findings.worker.live, clock),
        history=HistoryQueries(database),
        trends=Trends(database, clock),
        vlans=VlanQueries(database),
        ageing=AgeingAdvisor(database, switches, topology, clock),
        status=StatusQueries(
            *(findings.database_watch, tracking.turns, fleet, findings.worker.live),
            *(basis.supervisor, basis.following, clock),
        ),
        labels=Labels(database, tracking.label_index),
        device_links=DeviceLinks(database),
        saved_queries=SavedQueries(database, clock),
    )
