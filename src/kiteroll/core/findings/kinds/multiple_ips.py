"""Multiple IPs: an address that answered with one IP has come to answer with unrelated ones besides."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.findings.evidence import IpHeld
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.mac import MacAddress

MAX_IPS = 8
"""An address that answers with more is a router, or answers for others by proxy."""
_TOGETHER = timedelta(hours=1)
"""IPs that came within this time were set up together, as those of a server are."""

INFO = KindInfo(
    kind=FindingKind.MULTIPLE_IPS,
    thresholds=("multiple_ips_after",),
    condition=True,
    help=KindHelp(
        title="One address, unrelated IPs",
        why="Two devices may share the address. Behind one port, or beyond what is read, nothing else shows it.",
        evidence="A router's neighbour cache shows an address with the IP it always had and, for six hours (or "
        "as set), with one that came later and has another host name or none. IPs that came together are left "
        f"out, and addresses with more than {MAX_IPS}, which are routers.",
        action="Ask each IP who it is. If it is one device with a second IP, all is well; otherwise give one of "
        "the two an address of its own.",
        fewer="Add addresses that gain IPs by design (clusters, virtual machine hosts) to the shared addresses, "
        "or raise findings.multiple_ips_after.",
    ),
)


@dataclass(frozen=True, slots=True)
class HeldIp:
    """An IP that answers with an address now, by one source (ipNetToMediaTable, ipNetToPhysicalTable)."""

    ip: str
    source: str
    began_at: datetime
    names: frozenset[str] = frozenset()
    """Host names it has."""

    @property
    def label(self) -> str:
        return f"{self.ip} ({', '.join(sorted(self.names))})" if self.names else self.ip


def detect(
    mac: MacAddress, held: Sequence[HeldIp], thresholds: Thresholds, now: datetime
) -> Detection | None:
    """`held`: what answers with the address by one source. Those that came together are related, as are
    those that share a host name; an IP counts once it has answered for `multiple_ips_after`."""
    lasting = sorted(
        (one for one in held if now - one.began_at >= thresholds.multiple_ips_after),
        key=lambda one: one.began_at,
    )
    if not lasting or len(held) > MAX_IPS:
        return None
    first = lasting[0]
    own = {name for one in lasting if one.began_at - first.began_at < _TOGETHER for name in one.names}
    later = [one for one in lasting if one.began_at - first.began_at >= _TOGETHER and not own & one.names]
    if not later:
        return None
    return Detection(
        kind=FindingKind.MULTIPLE_IPS,
        severity=Severity.NOTE,
        subject=Subject(mac=mac),
        cause=Cause.SECOND_DEVICE_OR_IP,
        details=Details(macs=(mac,), ips=tuple(one.label for one in (first, *later))),
        evidence=tuple(
            IpHeld(one.began_at, one.ip, tuple(sorted(one.names)), one.source) for one in (first, *later)
        ),
        first_at=later[0].began_at,
        last_at=now,
    )
