"""One IP address with several owners, and one address with several IPs."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from kiteroll.core.findings.model import Evidence, Kind, Severity, Sign, Subject, Thresholds
from kiteroll.core.mac import MacAddress

MOST_IPS = 8
"""An address that answers with more is a router, or answers for others by proxy."""
_TOGETHER = timedelta(hours=1)
"""IPs that came within this time were set up together, as those of a server are."""


@dataclass(frozen=True, slots=True)
class HeldIp:
    """An IP that answers with an address now, by one source (ipNetToMediaTable, ipNetToPhysicalTable)."""

    ip: str
    source: str
    began_at: datetime
    names: frozenset[str] = frozenset()
    """Host names it has."""

    def __str__(self) -> str:
        return f"{self.ip} ({', '.join(sorted(self.names))})" if self.names else self.ip


def contested(ip: str, turns: Sequence[tuple[datetime, MacAddress]]) -> Iterator[Sign]:
    """`turns`: when the IP began to answer with which address, in order of time."""
    macs = sorted({mac for _, mac in turns})
    if len(macs) < 2:
        return
    yield Sign(
        kind=Kind.CONTESTED_IP,
        severity=Severity.WARNING,
        subject=Subject(ip=ip),
        title=f"{ip} answers by turns with {' and '.join(map(str, macs[:3]))}",
        cause="the same IP address is set up on two devices, or an address takes over and gives back",
        evidence=tuple(Evidence(at, f"{ip} answers with {mac}") for at, mac in turns),
        first_at=turns[0][0],
        last_at=turns[-1][0],
    )


def several(mac: MacAddress, held: Sequence[HeldIp], limits: Thresholds, now: datetime) -> Iterator[Sign]:
    """An address that answered with one IP and has come to answer with unrelated ones besides.

    `held`: what answers with it by one source. Those that came together are related, as are those that
    share a host name; an IP is counted once it has answered for `limits.ips_after`."""
    lasting = sorted(
        (one for one in held if now - one.began_at >= limits.ips_after), key=lambda one: one.began_at
    )
    if not lasting or len(held) > MOST_IPS:
        return
    first = lasting[0]
    own = {name for one in lasting if one.began_at - first.began_at < _TOGETHER for name in one.names}
    later = [one for one in lasting if one.began_at - first.began_at >= _TOGETHER and not own & one.names]
    if not later:
        return
    yield Sign(
        kind=Kind.SEVERAL_IPS,
        severity=Severity.NOTE,
        subject=Subject(mac=mac),
        title=f"{mac} answers with {' and with '.join(map(str, (first, *later[:2])))}",
        cause="a second device under the same address, or a second IP set up on one",
        evidence=tuple(
            Evidence(one.began_at, f"{one} began to answer with it, told by {one.source}")
            for one in (first, *later)
        ),
        first_at=later[0].began_at,
        last_at=now,
    )
