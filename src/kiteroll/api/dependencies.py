"""How a route gets the parts it uses: each declares them one by one, and gets no others."""

from collections.abc import Awaitable, Callable
from typing import Annotated, Any, TypeVar

from fastapi import Depends, Request

from kiteroll.api.exports.lists import ExportLists
from kiteroll.api.metrics import Metrics
from kiteroll.api.stream.broadcaster import EventBroadcaster
from kiteroll.app.access.accounts import Accounts
from kiteroll.app.access.audit_log import AuditLog
from kiteroll.app.access.openid_sign_in import OpenIdSignIn
from kiteroll.app.access.sign_in import SignIn
from kiteroll.app.access.tokens import Tokens
from kiteroll.app.alerts.alert_routes import AlertRoutes
from kiteroll.app.alerts.alert_targets import AlertTargets
from kiteroll.app.collectors import Collectors
from kiteroll.app.csv_mappings import CsvMappings
from kiteroll.app.device_links import DeviceLinks
from kiteroll.app.enrolment import Enrolment
from kiteroll.app.imports import Importer
from kiteroll.app.inventory import Inventory
from kiteroll.app.key_rotation import KeyRotation
from kiteroll.app.labels import Labels
from kiteroll.app.makers import MakerDirectory
from kiteroll.app.named_credentials import NamedCredentials
from kiteroll.app.on_demand_rounds import OnDemandRounds
from kiteroll.app.port_actions.actor import PortActor
from kiteroll.app.port_actions.ageing import AgeingAdvisor
from kiteroll.app.port_actions.closed_ports import ClosedPorts
from kiteroll.app.port_actions.proposals import Proposals
from kiteroll.app.port_actions.sweeps import Sweeps
from kiteroll.app.port_rules import PortRules
from kiteroll.app.queries.actions import ActionQueries
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
from kiteroll.app.queries.roll_call import RollCalls
from kiteroll.app.queries.search import Search
from kiteroll.app.queries.service_status import StatusQueries
from kiteroll.app.queries.switches import SwitchQueries
from kiteroll.app.queries.trends import Trends
from kiteroll.app.queries.unread_switches import UnreadSwitches
from kiteroll.app.queries.vlans import VlanQueries
from kiteroll.app.rehearsals import Rehearsals
from kiteroll.app.runtime_settings import RuntimeSettings
from kiteroll.app.saved_queries import SavedQueries
from kiteroll.app.shared_addresses import SharedAddresses
from kiteroll.app.sites_and_groups import SitesAndGroups
from kiteroll.app.switch_assignments import SwitchAssignments
from kiteroll.app.switch_reads import SwitchReads
from kiteroll.app.trackers.areas import AreaTrackers
from kiteroll.app.workers.findings import FindingWorker
from kiteroll.clock import Clock, SystemClock

T = TypeVar("T")


def _part(kind: type[T]) -> Callable[[Request], Awaitable[T]]:
    async def of(request: Request) -> T:
        part: T = request.app.state.parts[kind]
        return part

    return of


def by_type(*parts: Any) -> dict[type, Any]:
    """What `app.state.parts` holds."""
    return {type(part): part for part in parts}


TheActions = Annotated[ActionQueries, Depends(_part(ActionQueries))]
TheActor = Annotated[PortActor, Depends(_part(PortActor))]
TheAgeing = Annotated[AgeingAdvisor, Depends(_part(AgeingAdvisor))]
TheClosedPorts = Annotated[ClosedPorts, Depends(_part(ClosedPorts))]
TheProposals = Annotated[Proposals, Depends(_part(Proposals))]
TheSweeps = Annotated[Sweeps, Depends(_part(Sweeps))]
TheAccounts = Annotated[Accounts, Depends(_part(Accounts))]
TheAlertRoutes = Annotated[AlertRoutes, Depends(_part(AlertRoutes))]
TheAlertTargets = Annotated[AlertTargets, Depends(_part(AlertTargets))]
TheAuditLog = Annotated[AuditLog, Depends(_part(AuditLog))]
TheBroadcaster = Annotated[EventBroadcaster, Depends(_part(EventBroadcaster))]
TheClock = Annotated[Clock, Depends(_part(SystemClock))]
TheAreas = Annotated[AreaTrackers, Depends(_part(AreaTrackers))]
TheCollectors = Annotated[Collectors, Depends(_part(Collectors))]
TheDifferences = Annotated[Differences, Depends(_part(Differences))]
TheEndpointHistory = Annotated[EndpointHistory, Depends(_part(EndpointHistory))]
TheEndpoints = Annotated[EndpointQueries, Depends(_part(EndpointQueries))]
TheEnrolment = Annotated[Enrolment, Depends(_part(Enrolment))]
TheExports = Annotated[ExportLists, Depends(_part(ExportLists))]
TheFindingWorker = Annotated[FindingWorker, Depends(_part(FindingWorker))]
TheFindings = Annotated[FindingQueries, Depends(_part(FindingQueries))]
TheHistory = Annotated[HistoryQueries, Depends(_part(HistoryQueries))]
TheUnreadSwitches = Annotated[UnreadSwitches, Depends(_part(UnreadSwitches))]
TheTrends = Annotated[Trends, Depends(_part(Trends))]
TheImporter = Annotated[Importer, Depends(_part(Importer))]
TheAssignments = Annotated[SwitchAssignments, Depends(_part(SwitchAssignments))]
TheCredentials = Annotated[NamedCredentials, Depends(_part(NamedCredentials))]
TheInventory = Annotated[Inventory, Depends(_part(Inventory))]
TheSitesAndGroups = Annotated[SitesAndGroups, Depends(_part(SitesAndGroups))]
TheKeyRotation = Annotated[KeyRotation, Depends(_part(KeyRotation))]
TheEndpointList = Annotated[EndpointList, Depends(_part(EndpointList))]
TheDeviceLinks = Annotated[DeviceLinks, Depends(_part(DeviceLinks))]
TheSavedQueries = Annotated[SavedQueries, Depends(_part(SavedQueries))]
TheLabels = Annotated[Labels, Depends(_part(Labels))]
TheMakers = Annotated[MakerDirectory, Depends(_part(MakerDirectory))]
TheMap = Annotated[NetworkMap, Depends(_part(NetworkMap))]
TheMappings = Annotated[CsvMappings, Depends(_part(CsvMappings))]
TheMetrics = Annotated[Metrics, Depends(_part(Metrics))]
ThePaths = Annotated[Paths, Depends(_part(Paths))]
TheOpenId = Annotated[OpenIdSignIn, Depends(_part(OpenIdSignIn))]
ThePortRules = Annotated[PortRules, Depends(_part(PortRules))]
ThePortUse = Annotated[PortUseQueries, Depends(_part(PortUseQueries))]
ThePorts = Annotated[PortQueries, Depends(_part(PortQueries))]
TheReads = Annotated[SwitchReads, Depends(_part(SwitchReads))]
TheRehearsals = Annotated[Rehearsals, Depends(_part(Rehearsals))]
TheRollCalls = Annotated[RollCalls, Depends(_part(RollCalls))]
TheRounds = Annotated[OnDemandRounds, Depends(_part(OnDemandRounds))]
TheSignIn = Annotated[SignIn, Depends(_part(SignIn))]
TheTokens = Annotated[Tokens, Depends(_part(Tokens))]
TheSearch = Annotated[Search, Depends(_part(Search))]
TheSettings = Annotated[RuntimeSettings, Depends(_part(RuntimeSettings))]
TheSharedAddresses = Annotated[SharedAddresses, Depends(_part(SharedAddresses))]
TheStatus = Annotated[StatusQueries, Depends(_part(StatusQueries))]
TheSwitches = Annotated[SwitchQueries, Depends(_part(SwitchQueries))]
TheVlans = Annotated[VlanQueries, Depends(_part(VlanQueries))]
