"""Many switches not read: more than single ones, so the trouble is between them and the service, or here."""

from collections.abc import Collection, Mapping, Sequence
from datetime import datetime

from kiteroll.core.findings.evidence import ServiceNoted
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.tracking.switch_health import FAILING, SwitchCondition, SwitchHealth

INFO = KindInfo(
    kind=FindingKind.SWITCHES_LATE,
    condition=True,
    explains=frozenset({FindingKind.NOT_READ}),
    help=KindHelp(
        title="Many switches are not read",
        why="What is shown of a large part of the network grows old.",
        evidence="A fifth of the switches, and three at least, do not answer, refuse, or are late; those that are "
        "behind another one that does not answer are not counted.",
        action="Look at what they have in common: a site, an uplink, a credential; else at the load of the machine "
        "of the service.",
        fewer="Read less often, or switch reading off where there is work.",
    ),
)
_SHARE, _LEAST = 0.2, 3
_NAMED = 20
"""Switches that are named in the evidence, at most."""


def detect(
    switches: Sequence[SwitchCondition],
    as_of: Mapping[str, datetime],
    now: datetime,
    behind: Collection[str] = (),
) -> Detection | None:
    """`as_of`: of sites that collectors read, until when all readings have come; `behind`: switches that are
    behind one that does not answer."""

    def fails(one: SwitchCondition) -> bool:
        health = one.health(as_of.get(one.site, now))
        return health in FAILING or health is SwitchHealth.LATE

    read = [one for one in switches if one.enabled]
    late = [one for one in read if one.name not in behind and fails(one)]
    if len(late) < max(_LEAST, _SHARE * len(read)):
        return None
    since = [one.health_since(now) or now for one in late]
    return Detection(
        kind=FindingKind.SWITCHES_LATE,
        severity=Severity.SERIOUS,
        subject=Subject(),
        cause=Cause.COMMON,
        details=Details(count=len(late), limit=len(read)),
        evidence=tuple(
            ServiceNoted(one.health_since(now) or now, one.name, one.error or one.health(now).value)
            for one in late[:_NAMED]
        ),
        first_at=max(since),
        last_at=now,
    )
