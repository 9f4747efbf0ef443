"""Out of place: an enrolled endpoint is present on a watched port where it is not enrolled."""

from collections.abc import Iterator
from datetime import datetime

from kiteroll.core.findings.evidence import EnrolledAt, PresentAt
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.policy.occupancy import PortOccupancy
from kiteroll.core.policy.port_rules import RollStatus
from kiteroll.core.policy.roll import Enrolled

INFO = KindInfo(
    kind=FindingKind.OUT_OF_PLACE,
    thresholds=("port_rule_delay",),
    condition=True,
    goes_on_unseen=True,
    help=KindHelp(
        title="An enrolled device that is out of place",
        why="A device that is known and authorised elsewhere was plugged in here: an exchange nobody wrote down, "
        "or its address is used by something else.",
        evidence="The address is enrolled on the roll of another port, switch or group, or here in another VLAN, "
        "and is present on a watched port whose roll does not carry it. However many ports it is on, it is one "
        "finding.",
        action="If it belongs here now, enrol it here and strike it off where it was. Otherwise take it back.",
        fewer="Enrol devices that are carried about on the roll of a group or of everything.",
    ),
)
_MAX_A_PORT = 20
_MAX_LEVELS = 4


def detect(
    occupancy: PortOccupancy, places: dict[MacAddress, list[Enrolled]], severity: Severity, now: datetime
) -> Iterator[Detection]:
    """`places`: entries that enrol those who are out of place."""
    for one in occupancy.of_status(RollStatus.OUT_OF_PLACE)[:_MAX_A_PORT]:
        entries = places[one.mac][:_MAX_LEVELS]
        yield Detection(
            kind=FindingKind.OUT_OF_PLACE,
            severity=severity,
            subject=Subject(mac=one.mac),
            cause=Cause.ENROLLED_ELSEWHERE,
            details=Details(
                ports=(occupancy.port,),
                macs=(one.mac,),
                vlan=one.vlan,
                levels=tuple(dict.fromkeys(_where(entry) for entry in entries)),
            ),
            evidence=(
                PresentAt(now, occupancy.port),
                *(EnrolledAt(now, str(entry.level), entry.vlan) for entry in entries),
            ),
            first_at=now,
            last_at=now,
            ports=frozenset({occupancy.port}),
        )


def _where(entry: Enrolled) -> str:
    return f"{entry.level}" if entry.vlan is None else f"{entry.level} in VLAN {entry.vlan}"
