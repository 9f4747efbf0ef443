"""What lifts the rules of a port: being an uplink does, but saying so does not.

A single frame with the address of a known switch, or an LLDP frame with its name, makes a port look like
an uplink, and anybody can send one. So a port whose rules were in force as an access port stays under them
when it begins to look like an uplink, until the operator says that it is one, or the switch at the far end
sees us back.
"""

from collections.abc import Collection
from datetime import datetime, timedelta

from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.roles import PortRole, RoleEvidence

_SETTLED = timedelta(minutes=10)
"""A port that was an access port for so long is one: where a new port leads is known some seconds after it
comes, where a new switch is read for the first time some readings after."""


class UplinkClaims:
    """Of ports that have rules."""

    def __init__(self) -> None:
        self._access_since: dict[PortRef, datetime] = {}
        self._claims: dict[PortRef, PortRole] = {}

    def lifts_rules(self, port: PortRef, role: PortRole, now: datetime) -> bool:
        """Whether the port is exempt from its rules, by the role it has now."""
        if not role.is_uplink:
            self._access_since.setdefault(port, now)
            self._claims.pop(port, None)
            return False
        since = self._access_since.get(port)
        believed = role.confirmed or role.evidence is RoleEvidence.OPERATOR
        if believed or since is None or now - since < _SETTLED:
            self._access_since.pop(port, None)
            self._claims.pop(port, None)
            return True
        self._claims[port] = role
        return False

    def claims(self) -> dict[PortRef, PortRole]:
        """Ports that look like uplinks and stay under their rules."""
        return dict(self._claims)

    def retain(self, switches: Collection[str]) -> None:
        """Drop switches that left the inventory."""
        for port in [one for one in self._access_since if one[0] not in switches]:
            self._access_since.pop(port, None)
            self._claims.pop(port, None)
