"""Findings in words: titles, likely causes, and each piece of evidence."""

from datetime import timedelta
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
)
from kiteroll.core.findings.finding import Cause, Detection, Finding, FindingKind, Severity
from kiteroll.core.model import bounds
from kiteroll.core.topology.roles import RoleEvidence
from kiteroll.wording.spans import counted, first_of, joined, port_name, span

_HEALTH = {
    "silent": "does not answer",
    "refused": "rejects our credentials",
    "failed": "cannot be read",
    "late": "has given no complete reading for three intervals",
}
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


def title(finding: Finding | Detection) -> str:
    """What was found, in one sentence."""
    kind, subject, details = finding.kind, finding.subject, finding.details
    ports = [port_name(port) for port in details.ports]
    here = port_name((subject.switch, subject.port))
    match kind:
        case FindingKind.MOVED:
            return f"{subject.mac} moved from {ports[0]} to {ports[-1]}"
        case FindingKind.MOVED_TOGETHER:
            return f"{details.count} addresses moved together from {ports[0]} to {ports[-1]}"
        case FindingKind.TOPOLOGY_CHANGE:
            before, now = (port for _, port in details.ports[:2])
            return (
                f"paths changed: {details.count} addresses go another way, first from port {before} to port {now} of "
                f"{subject.switch}"
            )
        case FindingKind.SWITCH_REPLACED if finding.cause is Cause.PORTS_RENAMED:
            return f"{counted(details.count, 'port')} of {subject.switch} {'has' if details.count == 1 else 'have'} another name"
        case FindingKind.SWITCH_REPLACED:
            return f"{subject.switch} is another device than before"
        case FindingKind.FLAPPING:
            return f"{subject.mac} jumped {counted(details.count, 'time')} between {joined(ports)}"
        case FindingKind.DUPLICATE:
            return f"{subject.mac} is at {joined(ports)} at the same time"
        case FindingKind.IP_CONFLICT:
            return f"{subject.ip} answers with several addresses by turns: {joined([str(mac) for mac in details.macs[:3]])}"
        case FindingKind.MULTIPLE_IPS:
            return f"{subject.mac} answers with {' and with '.join(details.ips[:3])}"
        case FindingKind.LOOP:
            names = [port for _, port in details.ports]
            if len(names) == 1:
                return f"{details.count} addresses jump to port {names[0]} of {subject.switch} and back"
            return f"{details.count} addresses jump to ports {joined(names)} of {subject.switch} and back"
        case FindingKind.FLOOD:
            return f"{details.count} new addresses on {here} within minutes"
        case FindingKind.LEFT_OUT:
            return (
                f"{counted(details.count, 'new address', 'new addresses')} on {here} left out of the records"
            )
        case FindingKind.SILENT_PORT:
            label = f" ({details.alias})" if details.alias else ""
            return f"{here}{label}: link is up but no address is learned"
        case FindingKind.OVERFULL:
            seats = counted(details.limit or 0, "seat")
            return f"{here} carries {counted(details.count, 'address', 'addresses')} and has {seats}"
        case FindingKind.STRANGER:
            return f"{subject.mac} is on {here}{_vlan(details.vlan)} but not on the port's roll"
        case FindingKind.OUT_OF_PLACE:
            belongs = joined(list(details.levels)) or "elsewhere"
            return f"{subject.mac} is on {joined(ports)}{_vlan(details.vlan)} and is enrolled at {belongs}"
        case FindingKind.OTHER_VLAN:
            there = counted(details.count, "address", "addresses")
            return f"{here} carries {there}{_vlan(details.vlan)}, which is not expected there"
        case FindingKind.BARRED:
            why = f" ({details.reason})" if details.reason else ""
            return f"{subject.mac} is barred{why} and is on {joined(ports)}"
        case FindingKind.EXPIRING:
            what = counted(details.count, "entry of a roll expires", "entries of rolls expire")
            return f"{what} within days, at {first_of(list(details.levels)) or 'some level'}"
        case FindingKind.UPLINK_CLAIMED:
            return f"{here} begins to look like an uplink; its rules stay in force"
        case FindingKind.TABLE_FILLING:
            state = "full" if finding.severity is Severity.SERIOUS else "nearly full"
            return (
                f"the MAC address table of {subject.switch} is {state}: {_use(details.count, details.limit)}"
            )
        case FindingKind.AGEING_TOO_SHORT:
            return f"{subject.switch} forgets addresses sooner than it is read"
        case FindingKind.AGEING_TOO_LONG:
            return f"{subject.switch} keeps addresses for {_kept(details.ageing)}"
        case FindingKind.RESTARTED:
            return f"{subject.switch} restarted"
        case FindingKind.NOT_READ:
            return f"{subject.switch} {_HEALTH.get(details.health, 'cannot be read')}"
        case FindingKind.SWITCHES_LATE:
            return f"{details.count} of {counted(details.limit or 0, 'switch', 'switches')} are not read"
        case FindingKind.SITE_NOT_READ:
            return f"no readings come from {joined(list(details.levels))}"
        case FindingKind.READINGS_DROPPED:
            what = counted(details.count, "reading")
            return f"{what} of {joined(list(details.levels))} were dropped before they could be sent"
        case FindingKind.READINGS_REFUSED:
            return f"readings of {joined(list(details.levels))} were refused"
        case FindingKind.WORKER_FAILED:
            return f"the service's {joined(list(details.levels))} {'fails' if details.count == 1 else 'fail'}"
        case FindingKind.DATABASE_AWAY:
            return f"the database was away for {span(details.interval) if details.interval else 'a while'}"
        case FindingKind.DISK_FILLING:
            return (
                f"the disk of the service has {_gigabytes(details.count)} of {_gigabytes(details.limit)} left"
            )
        case FindingKind.CERTIFICATE_ENDS:
            return f"the certificate of the service {'ended' if details.count else 'ends'} at {details.reason} UTC"
        case FindingKind.ALERTS_FAIL:
            return f"alerts do not reach {joined(list(details.levels))}"
        case FindingKind.PORT_CLOSED:
            held = finding.cause is Cause.CAME_BACK
            return f"{here} is {'held closed' if held else 'closed'}; the reason then: {details.reason}"
        case FindingKind.CLOSING_STOPPED:
            return "rules close no more ports by themselves"
        case _:
            assert_never(kind)


def cause(finding: Finding | Detection) -> str:
    """The likely cause, in a few words; the evidence shows what it rests on."""
    details = finding.details
    match finding.cause:
        case Cause.REPLUGGED | Cause.CARRIED:
            said = finding.cause.value
            return f"{said}: the link of the old port changed" if details.link_changed else said
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
            return f"present{_vlan(vlan)}; {roll}"
        case EnrolledAt(level=level, vlan=vlan):
            return f"enrolled at {level}{_vlan(vlan)}"
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
        case TableUse(present=present, size=size):
            return _use(present, size)
        case DiscardsRose():
            return "addresses could not be learned for lack of room"
        case NotRead(health=health, error=error):
            return error or f"it {_HEALTH.get(health, 'cannot be read')} since then"
        case ServiceNoted(name=name, error=error):
            return f"{name}: {error}"
        case Started():
            return "it started, with an empty table"
        case _:
            assert_never(evidence)


def _kept(ageing: timedelta | None) -> str:
    return "ever" if ageing is None or ageing >= bounds.AGEING else span(ageing)


def _vlan(vlan: int | None) -> str:
    return f" in VLAN {vlan}" if vlan else ""


def _use(present: int, size: int | None) -> str:
    return f"{present} of {size} addresses" if size else counted(present, "address", "addresses")


def _gigabytes(megabytes: int | None) -> str:
    return f"{(megabytes or 0) / 1000:.1f} GB"
