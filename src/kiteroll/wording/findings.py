"""Likely causes of findings, and each piece of evidence, in words."""

from typing import assert_never

from kiteroll.core.findings.evidence import (
    ClaimsUplink,
    DiscardsRose,
    EnrolledAt,
    EntryExpires,
    Evidence,
    InOtherVlan,
    IpAnswered,
    IpHeld,
    Jumped,
    Learned,
    Left,
    LinkChanged,
    LinkSteady,
    ManyJumped,
    ManyMoved,
    NewAddresses,
    NoAddress,
    NotOnRoll,
    NotRead,
    OtherIdentity,
    PathsChanged,
    PortsRenamed,
    PresentAt,
    PresentTogether,
    ServiceNoted,
    Started,
    StillAtBoth,
    TableUse,
    TopologyChanged,
    WatchedSince,
)
from kiteroll.core.findings.finding import Cause, Detection, Finding, State
from kiteroll.core.topology.roles import RoleEvidence
from kiteroll.wording.finding_titles import HEALTH
from kiteroll.wording.spans import counted, joined, port_name, span, table_use, vlan_text

_CLAIMS = {
    RoleEvidence.NEIGHBOUR.value: "a known switch announces itself there (LLDP)",
    RoleEvidence.SWITCH_ADDRESS.value: "the bridge address of a known switch is learned there",
    RoleEvidence.SEPARATED.value: "addresses there are on different ports of a known switch",
}
_CAUSES = {
    Cause.CARRIER_MOVED: "what they are connected to was plugged in elsewhere, or they roam together",
    Cause.LINK_BETWEEN_SWITCHES: "a cable between switches was cut, pulled or connected: its link changed",
    Cause.OTHER_TREE: "spanning tree chose other paths, for something that changed on another switch",
    Cause.OTHER_DEVICE: "the switch was exchanged, a stack has another master, or its address was given away",
    Cause.PORTS_RENAMED: "a stack that was numbered anew, an exchanged switch, or renamed interfaces",
    Cause.CLONED: "cloned address: two devices use the same one, since both links are steady",
    Cause.LOOSE_CABLE: "loose or re-plugged cable: the link of a port changed in between",
    Cause.ROAMING: "roaming: the ports carry many addresses, as access points do",
    Cause.FAILOVER_PAIR: "failover pair: a device of the same make stays at each of the two ports",
    Cause.UNCLEAR: "unclear: neither the links nor the other addresses on the ports explain it",
    Cause.SAME_IP_TWICE: "the same IP address is configured on two devices, or moves between a pair of them",
    Cause.SECOND_DEVICE_OR_IP: "a second device with the same address, or a second IP on one device",
    Cause.SECOND_CABLE: "loop: frames come back to the switch through a second cable",
    Cause.INVENTED_ADDRESSES: "a device makes up source addresses, or a large network was plugged in",
    Cause.RECORDS_FULL: "as many addresses are known as may be (tracking.endpoints)",
    Cause.SILENT_DEVICE: "a device that hangs or sleeps, a wrong VLAN, or a cable to something that does not talk",
    Cause.SEVERAL_DEVICES: "several devices behind one port: a small switch or a hub, or a virtual machine host",
    Cause.BRIDGE_BEHIND: "a bridge that is not in the inventory announces itself there (LLDP)",
    Cause.NOT_ENROLLED: "a device nobody enrolled: brought along, exchanged, or plugged into the wrong socket",
    Cause.ENROLLED_ELSEWHERE: "a device that belongs elsewhere was plugged in here, or its address was copied",
    Cause.NOT_EXPECTED_HERE: "the port is configured for another VLAN than agreed, or the device tags its frames",
    Cause.ENDS_SOON: "they were enrolled until then",
    Cause.FORGED_OR_NEW_SWITCH: "a forged frame, or a switch that was connected and is not confirmed by the far end",
    Cause.TABLE_TOO_SMALL: "more endpoints than the table holds, a loop, or an attack on the table",
    Cause.COMMON: "something they have in common: a site, an uplink, a credential, or the machine of the service",
    Cause.RECORDS_GROW: "records grow until retention deletes as much as comes in; or other files do",
    Cause.NO_ROOM: "the line was down for longer than the site had room for readings",
    Cause.NOT_RENEWED: "nobody has put a new one in its place",
    Cause.CLOSED_HERE: "Kite Roll closed it, for that reason",
    Cause.RESTART: "its uptime was reset: power, a crash, or somebody restarted it",
}


def cause(finding: Finding | Detection) -> str:
    """The likely cause, in a few words; the evidence shows what it rests on."""
    details = finding.details
    match finding.cause:
        case Cause.REPLUGGED | Cause.CARRIED:
            cause = finding.cause.value
            return f"{cause}: the link of the old port changed" if details.link_changed else cause
        case Cause.READ_TOO_SELDOM if details.interval is not None and details.ageing is not None:
            return f"it is read every {span(details.interval)}, its ageing time is {span(details.ageing)}"
        case Cause.NEVER_FORGETS:
            return "its ageing time is set so, or ageing is switched off"
        case Cause.CAME_BACK:
            return f"the same breach came back {counted(details.count, 'time')} after the timer had opened it"
        case Cause.TOO_MANY:
            return details.reason or "they closed as many within an hour as they may"
        case Cause.NOT_ITS_OWN:
            return details.error or "it sent what it may not"
        case Cause.BRIDGE_BEHIND if details.bridge:
            return f"{details.bridge} announces itself there (LLDP), a bridge that is not in the inventory"
        case Cause.BARRED:
            return details.reason or "somebody barred it"
        case Cause.ERROR:
            return details.error or "an error"
        case Cause.READINGS_FAIL if details.behind:
            return f"it is behind {details.behind}, which does not answer either"
        case Cause.READINGS_FAIL if details.link_up is not None:
            over = isinstance(finding, Finding) and finding.state is State.CLEARED
            is_, port = "was" if over else "is", port_name(details.ports[0])
            if not details.link_up:
                return f"the link to it {is_} down at {port}: no power, a cable, or a port that was shut"
            if details.count:
                return f"the link to it {is_} up at {port}: it hangs, or lets no management traffic through"
            return f"the link to it {is_} up at {port}, so its agent is to be looked at. {details.error}"
        case Cause.READINGS_FAIL:
            return details.error or "its readings fail or are incomplete"
        case other:
            return _CAUSES.get(other, other.value)


def evidence_text(evidence: Evidence) -> str:
    """One piece of evidence in a sentence, without its time."""
    match evidence:
        case Learned(place=place):
            return f"learned at {place}"
        case Left(place=place):
            return f"no longer at {place}"
        case StillAtBoth():
            return "still present at both, longer than an entry lingers after a move"
        case ManyMoved(count=count, origin=origin, target=target):
            return f"{count} addresses went from {port_name(origin)} to {port_name(target)}"
        case Jumped():
            one = evidence
            return f"{one.mac} went from port {one.from_port} to port {one.to_port} of {one.switch}"
        case LinkChanged(port=port):
            return f"the link of {port_name(port)} changed"
        case LinkSteady(port=port):
            return f"the link of {port_name(port)} has not changed since then"
        case IpAnswered(ip=ip, mac=mac):
            return f"{ip} answers with {mac}"
        case IpHeld(ip=ip, names=names, source=source):
            named = f" ({', '.join(names)})" if names else ""
            return f"{ip}{named} began to answer with it, according to {source}"
        case PresentTogether(macs=macs, count=count):
            more = f" and {count - len(macs)} more" if count > len(macs) else ""
            return f"present at once: {', '.join(map(str, macs))}{more}"
        case NotOnRoll(vlan=vlan, entries=entries):
            roll = (
                "the roll is empty" if not entries else f"the roll has {counted(entries, 'entry', 'entries')}"
            )
            return f"present{vlan_text(vlan)}; {roll}"
        case EnrolledAt(level=level, vlan=vlan):
            return f"enrolled at {level}{vlan_text(vlan)}"
        case InOtherVlan(mac=mac, vlan=vlan, expected=expected):
            return f"{mac} is in VLAN {vlan}; expected are {expected}"
        case PresentAt(port=port):
            return f"present on {port_name(port)}"
        case EntryExpires(entry=entry, level=level, expires_at=end):
            return f"{entry}, enrolled at {level}, expires {end:%Y-%m-%d %H:%M} UTC"
        case ManyJumped(count=count, ports=ports):
            return f"{count} addresses jumped to and fro between ports {joined(ports)}"
        case PathsChanged(switch=switch, from_port=before, to_port=now, count=count):
            return f"{count} addresses went from port {before} to port {now} of {switch}"
        case OtherIdentity(before=before, after=after):
            return f"its bridge address is {after}; it was {before}"
        case PortsRenamed(count=count, names=names):
            pairs = ", ".join(f"{before} to {now}" for before, now in names)
            return f"{count} addresses are at ports of other names: {pairs}"
        case TopologyChanged():
            return "the count of spanning-tree changes rose"
        case ClaimsUplink(evidence=evidence_kind, names=names):
            return f"{_CLAIMS.get(evidence_kind, evidence_kind)}: {', '.join(names[:3])}"
        case NewAddresses(count=count):
            return f"{count} addresses that no switch had before"
        case NoAddress(ever=ever):
            return (
                "an address was seen there last" if ever else "its link came up, and no address was learned"
            )
        case WatchedSince():
            return "the switch has been read without a pause since; before, somebody may have been there"
        case TableUse(present=present, size=size):
            return table_use(present, size)
        case DiscardsRose():
            return "addresses could not be learned for lack of room"
        case NotRead(health=health, error=error):
            return error or f"it {HEALTH.get(health, HEALTH['failed'])[0]} since then"
        case ServiceNoted(name=name, error=error):
            return f"{name}: {error}"
        case Started():
            return "it started, with an empty table"
        case _:
            assert_never(evidence)
