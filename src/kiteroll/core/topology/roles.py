"""What a port is for: access or uplink, what that rests on, and which switches are behind it."""

from collections import defaultdict
from collections.abc import Mapping
from copy import copy
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from kiteroll.core.model.port_ref import PortRef


class Role(StrEnum):
    ACCESS = "access"
    UPLINK = "uplink"


class RoleEvidence(StrEnum):
    """What a role rests on, weightiest first."""

    OPERATOR = "set by operator"
    NEIGHBOUR = "LLDP neighbour"
    SWITCH_ADDRESS = "bridge address learned"
    SEPARATED = "addresses on different ports"
    """Two addresses on this port are on different ports of the switch behind it."""
    NONE = "none"


@dataclass(frozen=True, slots=True)
class PortRole:
    role: Role
    evidence: RoleEvidence = RoleEvidence.NONE
    witnesses: tuple[str, ...] = ()
    """Names the evidence is about: switches that announce themselves, whose address is learned, ..."""
    leads_to: tuple[str, ...] = ()
    """Known switches behind the port, the adjacent ones first."""
    adjacent: tuple[str, ...] = ()
    """Of those, the ones with no known switch in between. Several: something unread joins them."""
    confirmed: bool = False
    """Whether the switch at the far end announces that it sees this very port."""
    closed: bool = False
    """Whether spanning tree keeps the cable shut, at one of its ends."""
    beyond: str = ""
    """A bridge that is not in the inventory and announces itself here."""
    claimed: bool = False
    """An access port with rules that begins to look like an uplink, which nothing confirms."""

    @property
    def is_uplink(self) -> bool:
        """The one decision what counts as an uplink; everything else asks it."""
        return self.role is Role.UPLINK


UNKNOWN_ROLE = PortRole(Role.ACCESS)


class Topology:
    """Roles of ports. A port without any evidence is an access port."""

    def __init__(
        self,
        roles: Mapping[PortRef, PortRole],
        devices: Mapping[PortRef, str] | None = None,
        pairs: Mapping[str, str] | None = None,
        areas: Mapping[str, str] | None = None,
    ) -> None:
        """`devices`: the end device that announces itself at a port; `pairs`: switches that share their
        tables, and the pair each is of; `areas`: switches of named areas, and the area of each."""
        self._roles = roles
        self._pairs = pairs or {}
        self._areas = areas or {}
        self._devices = devices or {}
        self._former: Mapping[PortRef, datetime] = {}
        self._since: Mapping[PortRef, datetime] = {}
        self._towards: dict[str, dict[str, str]] = defaultdict(dict)
        for (switch, port), role in sorted(roles.items(), key=lambda one: one[1].closed):
            # An open port comes before one that is closed; an adjacent switch wins, should one be claimed
            # behind two ports.
            adjacent = frozenset() if role.closed else frozenset(role.adjacent)
            towards = self._towards[switch]
            for other in role.leads_to:
                if other in adjacent or other not in towards:
                    towards[other] = port

    def role(self, port: PortRef) -> PortRole:
        return self._roles.get(port, UNKNOWN_ROLE)

    def remembering(
        self, former: Mapping[PortRef, datetime], since: Mapping[PortRef, datetime]
    ) -> "Topology":
        """The same, with a memory. `former`: ports that are no uplinks now, and until when they were;
        `since`: when ports began to be uplinks, where known."""
        found = copy(self)
        found._former, found._since = former, since
        return found

    def uplink_before(self, port: PortRef, at: datetime) -> bool:
        """Whether it is an uplink, and was one before then already."""
        since = self._since.get(port)
        return self.is_uplink(port) and (since is None or since < at)

    def uplink_since(self, port: PortRef) -> datetime | None:
        """When it began to be one; None where that was at the start, or it is none."""
        return self._since.get(port)

    def was_uplink(self, port: PortRef, at: datetime) -> bool:
        """Whether a port that is none now was an uplink then: what was learned there was only passing by."""
        until = self._former.get(port)
        return until is not None and at <= until

    def uplink_until(self, port: PortRef) -> datetime | None:
        """Until when a port that is none now was an uplink, in the last days; None for one that never was."""
        return self._former.get(port)

    def devices(self) -> Mapping[PortRef, str]:
        return self._devices

    def areas(self) -> Mapping[str, str]:
        return self._areas

    def area_of(self, switch: str) -> str:
        """Empty: the one of all sites that name none."""
        return self._areas.get(switch, "")

    def device_at(self, port: PortRef) -> str:
        """The end device that announces itself there; empty when none does."""
        return self._devices.get(port, "")

    def pair_of(self, switch: str) -> str:
        """The pair of switches with one table that it is of; empty when it is of none."""
        return self._pairs.get(switch, "")

    def is_uplink(self, port: PortRef) -> bool:
        return self.role(port).is_uplink

    def roles(self) -> Mapping[PortRef, PortRole]:
        return self._roles

    def uplinks(self) -> dict[PortRef, PortRole]:
        return {port: role for port, role in self._roles.items() if role.is_uplink}

    def port_towards(self, switch: str, other: str) -> str | None:
        return self._towards.get(switch, {}).get(other)

    def joined(self, one: str, other: str) -> bool:
        """Whether both are known to be of one network: of one area, and each has a port that leads to the
        other."""
        return one == other or (
            self.area_of(one) == self.area_of(other)
            and self.port_towards(one, other) is not None
            and self.port_towards(other, one) is not None
        )

    def links(self) -> list[tuple[PortRef, PortRef | str]]:
        """Each cable once: two ports, or a port and a switch whose own port is not known."""
        found: dict[tuple[str, str], tuple[PortRef, PortRef | str]] = {}
        for (switch, port), role in sorted(self._roles.items()):
            for other in role.adjacent:
                names = (min(switch, other), max(switch, other))
                far = self.port_towards(other, switch)
                found.setdefault(names, ((switch, port), (other, far) if far else other))
        return list(found.values())
