"""Which rows of a MAC address table stand for an endpoint at a port, and at which: one decision for what is
read over SNMP and what documents hold."""

from collections.abc import Container, Iterable, Mapping

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.reading_parts import Port, Status

_AT_A_PORT = frozenset({Status.LEARNED, Status.STATIC, Status.OTHER})
"""A port that admits an address only after it was authenticated, or was configured with who may be there,
holds it in a row of status mgmt or other (dot1qTpFdbStatus, RFC 4363): the device is there all the same."""


def is_endpoint(mac: MacAddress, status: Status, *, bridged: bool, own: Container[MacAddress | None]) -> bool:
    """Of a row that names a port; `bridged`: a port of the bridge. Group addresses and the switch's `own`
    ones are none; a row that management made counts where the port is bridged."""
    if mac.is_group or status not in _AT_A_PORT:
        return False
    return status is Status.LEARNED or (bridged and mac not in own)


def bundle_numbers(ports: Iterable[Port]) -> dict[int, int]:
    """Number of each bundled port to that of its bundle, the port of the bridge (IEEE 802.1AX 6.1.1)."""
    listed = list(ports)
    numbers = {port.name: port.number for port in listed}
    return {
        port.number: numbers[port.aggregate]
        for port in listed
        if port.aggregate is not None and port.aggregate in numbers and port.aggregate != port.name
    }


def at_bundles(learned: Mapping[int, int], bundles: Mapping[int, int]) -> dict[int, int]:
    """Rows that name a member of a bundle are at the bundle."""
    if not bundles or bundles.keys().isdisjoint(learned.values()):
        return dict(learned)
    return {key: bundles.get(number, number) for key, number in learned.items()}
