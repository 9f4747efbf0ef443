"""Roles of ports, homes and paths in words."""

from dataclasses import replace
from datetime import datetime
from typing import assert_never

from kiteroll.core.topology.home import Because, Home, HomeReason
from kiteroll.core.topology.path import Hop
from kiteroll.core.topology.roles import PortRole, RoleEvidence
from kiteroll.wording.spans import counted, first_of


def role_text(role: PortRole) -> str:
    """What the role of a port rests on."""
    if role.claimed:
        return f"not confirmed as an uplink: {role_text(replace(role, claimed=False))}"
    names = first_of(role.witnesses)
    match role.evidence:
        case RoleEvidence.OPERATOR:
            return f"set to {'uplink' if role.is_uplink else 'access port'} by hand"
        case RoleEvidence.NEIGHBOUR if role.beyond:
            return f"{role.beyond} announces itself there (LLDP), a bridge that is not in the inventory"
        case RoleEvidence.NEIGHBOUR:
            return f"{', '.join(role.witnesses)} announces itself there (LLDP)"
        case RoleEvidence.SWITCH_ADDRESS:
            return f"the bridge address of {names} is learned there"
        case RoleEvidence.SEPARATED:
            return f"addresses there are on different ports of {names}"
        case RoleEvidence.NONE:
            return "no known switch seen behind this port (LLDP or MAC address table)"
        case _:
            assert_never(role.evidence)


def home_reasons(home: Home) -> list[str]:
    """Why the home is where it is, or why there is none; the weightiest first."""
    return [_reason(one) for one in home.reasons]


def _reason(reason: HomeReason) -> str:
    place = reason.place
    match reason.because:
        case Because.SEEN_NOWHERE_ELSE:
            return "seen nowhere else, and no known switch is behind the port"
        case Because.OTHERS_ARE_UPLINKS:
            return (
                "the other port it is seen on is an uplink"
                if reason.count == 1
                else f"the other {reason.count} ports it is seen on are uplinks"
            )
        case Because.CONNECTED_TWICE:
            return f"the same device is connected at {place} as well: it announces itself at both ports"
        case Because.QUIET_ELSEWHERE:
            return f"present here, quiet at {place}"
        case Because.LEARNED_LATER:
            return f"learned here later than at {place}"
        case Because.FEWER_ADDRESSES:
            return f"also seen at {place}, learned at about the same time; this port ranks first"
        case Because.QUIET_HERE:
            return "quiet here: missing from the latest reading, but within its hold time"
        case Because.LEARNED_LATELY:
            return f"learned here only at {_instant(reason.since)}: sure once it was heard and read again"
        case Because.CAME_WITH_MANY:
            return (
                f"one of {reason.count} addresses that came to this port within minutes: it may lead on to a switch, or "
                "be part of a loop"
            )
        case Because.CONTESTED:
            return "an open finding says that it is at several places, or jumps between them"
        case Because.READ_LATE if place is not None:
            return (
                f"{place.switch} has not been read since {_instant(reason.since)}: it may be elsewhere by now"
            )
        case Because.READ_LONG_AGO if place is not None:
            return f"{place.switch} was read last at {_instant(reason.since)}: whoever was there may be gone"
        case Because.READ_ANEW if place is not None:
            return (
                f"{place.switch} was not read for a while before {_instant(reason.since)}: the "
                "endpoint may have been elsewhere meanwhile"
            )
        case Because.BEYOND_UNKNOWN_BRIDGE:
            return f"beyond this port, through {reason.names[0]}, which is not in the inventory"
        case Because.BEYOND_UPLINK if place is not None and not reason.names:
            return f"beyond {place.switch} port {place.port}, an uplink: what is behind it is not known"
        case Because.BEYOND_UPLINK if place is not None:
            return (
                f"beyond {place.switch} port {place.port}: the switches behind it "
                f"({first_of(reason.names, 3)}) do not have it in their tables"
            )
        case Because.ONLY_ON_UPLINKS:
            return (
                f"seen only on uplinks, towards {first_of(reason.names, 5)}: it was unplugged a moment ago, is "
                "connected to something that is not read, or was heard only in passing"
            )
        case Because.IS_SWITCH:
            return f"this is the switch {reason.names[0]} itself: its bridge address"
        case Because.OTHER_AREA if place is not None:
            area = area_text(reason.names[0])
            return f"also at {place} ({area}): another device, for two areas share no layer 2"
        case Because.GONE:
            return "gone: no switch has it now"
        case _:
            return reason.because.value


def area_text(area: str) -> str:
    return f"area {area}" if area else "sites without an area"


def _instant(at: datetime | None) -> str:
    return "an unknown time" if at is None else f"{at:%Y-%m-%d %H:%M:%SZ}"


def hop_text(hop: Hop) -> str:
    """How the next step of a path is known."""
    if hop.address_count is None:
        return role_text(hop.role)
    addresses = counted(hop.address_count, "address", "addresses")
    if hop.role.is_uplink and not hop.role.leads_to:
        return f"uplink, {addresses}: what is behind it is not known"
    if hop.role.is_uplink:
        return f"uplink, {addresses}: not in the table of {first_of(hop.role.leads_to, 3)} behind it"
    if hop.role.beyond:
        return f"access port, {addresses}: through {hop.role.beyond}, not in the inventory"
    return f"access port, {addresses}: {role_text(hop.role)}"
