"""What lifts the rules of a port: being an uplink does, but saying so does not.

A single frame with the address of a known switch, or an LLDP frame with its name, makes a port look like
an uplink, and anybody can send one. So a port whose rules were in force as an access port stays under them
when it begins to look like an uplink, until the operator says that it is one, or the switch at the far end
sees us back.
"""

from collections.abc import Collection, Mapping
from datetime import datetime, timedelta

from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.topology.roles import PortRole, RoleEvidence

SETTLED = timedelta(minutes=10)
"""What is an uplink shows some readings after a switch is read for the first time. A port that becomes one
later was an access port until then."""


class UplinkClaims:
    """Of ports that have rules."""

    def __init__(
        self, before: Collection[PortRef] = (), known_since: Mapping[str, datetime] | None = None
    ) -> None:
        """`known_since`: of those whose place they take. `before`: claims of an earlier run. What began while
        nobody watched counts as known for as long as anything; they do not become uplinks by that."""
        self._before = set(before)
        self.known_since: dict[str, datetime] = dict(known_since or {})
        """By switch: when its rules were evaluated first."""
        self._claims: dict[PortRef, PortRole] = {}

    def evaluated(self, switch: str, now: datetime) -> None:
        """To be called before its ports are asked about: nobody may be at them yet."""
        self.known_since.setdefault(switch, now)

    def lifts_rules(self, port: PortRef, role: PortRole, began: datetime | None, now: datetime) -> bool:
        """Whether the port is exempt from its rules, by the role it has now. `began`: when it began to be an
        uplink; None: it has been one for as long as anything is known of it."""
        known_since = self.known_since.setdefault(port[0], now)
        if role.claimed:
            self._claims[port] = role
            return False
        self._claims.pop(port, None)
        if not role.is_uplink:
            return False
        if role.confirmed or role.evidence is RoleEvidence.OPERATOR:
            self._before.discard(port)
            return True
        if port not in self._before and (began is None or began - known_since < SETTLED):
            return True
        self._claims[port] = role
        return False

    def claims(self) -> dict[PortRef, PortRole]:
        """Ports that look like uplinks and stay under their rules."""
        return dict(self._claims)

    def retain_ports(self, switch: str, ports: Collection[PortRef]) -> None:
        """Drop claims at other ports of this switch: they have no rule any more, or nobody is there."""
        for port in [one for one in self._claims if one[0] == switch and one not in ports]:
            del self._claims[port]

    def retain(self, switches: Collection[str]) -> None:
        """Drop switches that left the inventory."""
        for name in self.known_since.keys() - set(switches):
            del self.known_since[name]
        self._claims = {port: role for port, role in self._claims.items() if port[0] in self.known_since}
