"""One IP address, several owners."""

from collections.abc import Iterator, Sequence
from datetime import datetime

from kiteroll.core.findings.model import Evidence, Kind, Severity, Sign, Subject
from kiteroll.core.mac import MacAddress


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
