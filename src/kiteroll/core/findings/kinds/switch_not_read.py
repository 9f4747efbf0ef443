"""Switch not read: it does not answer, rejects us, or gave no complete reading for three intervals."""

from datetime import datetime

from kiteroll.core.findings.evidence import NotRead
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.findings.links_towards import LinkTowards
from kiteroll.core.tracking.switch_health import FAILING, SwitchCondition, SwitchHealth

INFO = KindInfo(
    kind=FindingKind.NOT_READ,
    condition=True,
    explains=frozenset({FindingKind.NOT_READ}),
    help=KindHelp(
        title="A switch that is not read",
        why="What is known of it grows old; its endpoints may be elsewhere by now.",
        evidence="It does not answer, rejects our credentials, or gave no complete reading for three "
        "intervals. Whether the link to it is up is as the switch at its other end reports since then.",
        action="Is it up? Then check its access list and credential: `kiteroll credential test`. Switches behind "
        "it that do not answer either are part of this.",
        fewer="Switch reading off (`kiteroll switch change NAME --off`) while it is being worked on.",
    ),
)


def detect(
    switch: SwitchCondition,
    now: datetime,
    behind: str = "",
    hides: int = 0,
    link: LinkTowards | None = None,
) -> Detection | None:
    """`behind`: a switch on the way to it that does not answer either; `hides`: to how many it is on the way
    that do not; `link`: the one to it, where it is known how that is."""
    health = switch.health(now)
    since = switch.health_since(now)
    if since is None or (health not in FAILING and health is not SwitchHealth.LATE):
        return None
    return Detection(
        kind=FindingKind.NOT_READ,
        severity=Severity.SERIOUS if hides else Severity.WARNING,
        subject=Subject(switch=switch.name),
        cause=Cause.READINGS_FAIL,
        details=Details(
            health=health.value,
            error=switch.error,
            count=hides,
            behind=behind,
            ports=() if link is None else (link.port,),
            link_up=None if link is None else link.up,
        ),
        evidence=(NotRead(since, health.value, switch.error),),
        first_at=since,
        last_at=now,
    )
