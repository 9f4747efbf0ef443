"""Addresses left out: a port brings more new addresses than are taken into the records."""

from collections.abc import Iterator

from kiteroll.core.findings.evidence import NewAddresses
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.kind_info import KindHelp, KindInfo
from kiteroll.core.tracking.admission import LeftOut

INFO = KindInfo(
    kind=FindingKind.LEFT_OUT,
    condition=True,
    by_readings=True,
    help=KindHelp(
        title="New addresses that are not recorded",
        why="Somebody who makes up addresses could fill the records with them until nothing else is found. What "
        "is left out cannot be found, though its switch has learned it.",
        evidence="The table of the switch holds more addresses that were never seen anywhere than one port may "
        "bring in an hour, or than may be known in all.",
        action="See what is connected to the port. A device that makes up addresses is faulty or attacks: "
        "switch its port off. Where so many are true, raise the limit.",
        fewer="Raise tracking.new_addresses_per_port, or tracking.endpoints where the records are full.",
    ),
)


def detect(left_out: LeftOut) -> Iterator[Detection]:
    for port, count in left_out.ports.items():
        yield Detection(
            kind=FindingKind.LEFT_OUT,
            severity=Severity.SERIOUS,
            subject=Subject(switch=left_out.switch, port=port),
            cause=Cause.RECORDS_FULL if left_out.full else Cause.INVENTED_ADDRESSES,
            details=Details(ports=((left_out.switch, port),), count=count),
            evidence=(NewAddresses(left_out.at, count),),
            first_at=left_out.at,
            last_at=left_out.at,
            ports=frozenset({(left_out.switch, port)}),
        )
