"""What the API takes and gives, by name. Names are those of docs/words.md.

Each is loaded when it is first used: a command of the command line uses a handful of a hundred.
"""

from typing import TYPE_CHECKING

from kiteroll.schemas.lazy import loader

# ruff: noqa: F403 - _NAMES says what there is when it runs

if TYPE_CHECKING:
    from kiteroll.schemas.alerts import *
    from kiteroll.schemas.collectors import *
    from kiteroll.schemas.endpoints import *
    from kiteroll.schemas.findings import *
    from kiteroll.schemas.history import *
    from kiteroll.schemas.inventory import *
    from kiteroll.schemas.labels import *
    from kiteroll.schemas.links import *
    from kiteroll.schemas.operations import *
    from kiteroll.schemas.people import *
    from kiteroll.schemas.port_actions import *
    from kiteroll.schemas.rehearsal import *
    from kiteroll.schemas.roll_call import *
    from kiteroll.schemas.rules import *
    from kiteroll.schemas.types import *

_NAMES = {
    "alerts": """
        Alert AlertRoute AlertRouteSettings AlertState AlertTarget AlertTargetSettings AlertTest
        FolderSettings MailSettings NewPlannedWork PlannedWork RouteHours SyslogSettings
        TargetSettings WebhookSettings""",
    "collectors": "CollectedSite Collector NewCollector",
    "endpoints": """
        Endpoint EndpointChange HomeElsewhere HomeInterval Hop IpStay Maker NewMakers
        NewSharedAddress Place QuietTime ReadingPause SearchResult SearchedText SharedAddress Stay""",
    "findings": """
        Acknowledgement Evidence Finding FindingKind FindingKindHelp FindingPort FindingState
        FindingsChanged FindingsToAcknowledge FindingsToClear Severity""",
    "history": """
        Change CountPoint Difference Gap Hour LinkChange MapLink MapSwitch NetworkMap
        ReadingSummary UnreadSwitch VlanPort VlanSummary""",
    "inventory": """
        Area Credential CredentialTest CredentialVerdict Group GroupChange InventoryChanges
        InventoryOutcome NamedCredential Neighbour NewCredential NewSwitch Port PortChange Site
        SiteChange Switch SwitchChange Vlan""",
    "labels": "Label LabelChange LabelChanges LabelDifference LabelText LabelsOutcome",
    "links": "DeviceLink DeviceLinkText DeviceUrl SavedQuery SavedQueryText",
    "operations": """
        CsvMapping FieldProblem NamedMapping NewMacTable NewRound Problem Round ServiceHealth
        Setting SettingValue WorkerHealth""",
    "people": """
        AuditEntry AuditVerdict InitialPassword KeyRotated NewPassword NewToken NewUser
        OpenSession PasswordChange RightName RoleName Session SignIn Token TokenAdded User
        UserAdded UserChange""",
    "port_actions": """
        Action ActionAnswer ActionKind ActionPlan ActionState AgeingAdvice Appeared Approval
        ClosedPort ClosedPorts ClosingStopped Guard NewAction NewSweep Objection
        PortClosedElsewhere PresentEndpoint Proposal ProposalState Sweep""",
    "rehearsal": """
        NewRehearsal RehearsalFindings RehearsalRun RehearsedBreach RehearsedDay RehearsedDevice
        RehearsedPort SeatSuggestion""",
    "roll_call": """
        AbsentEntry AttendedDevice Candidate CandidateRef Decisions EnrolmentWindow ExpectedList
        NewWindow PortByUse PortOccupant RollCall RollCallPage RollCallPort RollCallTotals
        RollReplacement""",
    "rules": """
        BarredEntry EnrolPresent EnrolmentOf EntryReplacement NewBarred NewEntries NewEntry
        OnBreach PortRules RollEntry RollRow RuleChange RuleDifference RuleEvent RuleLevel
        RulesFile RulesOutcome RulesPatch RulesText SeatLimit""",
    "types": """
        AuthProtocol ChangeKind Community Health HoldS Host IntervalS Life Name Outcome Password
        Source SwitchName TableSize TimeoutS Title Tries UdpPort Version VlanId""",
}

__getattr__, __all__ = loader(__name__, "kiteroll.schemas", _NAMES, globals())
