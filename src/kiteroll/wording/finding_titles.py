"""Titles of findings: what was found, in one sentence; in the past tense once it is over."""

from datetime import timedelta
from typing import assert_never

from kiteroll.core.findings.finding import Cause, Detection, Finding, FindingKind, Severity, State
from kiteroll.core.model import bounds
from kiteroll.wording.spans import counted, first_of, joined, port_name, span, table_use, vlan_text

HEALTH = {
    "silent": ("does not answer", "did not answer"),
    "refused": ("rejects our credentials", "rejected our credentials"),
    "failed": ("cannot be read", "could not be read"),
    "late": (
        "has given no complete reading for three intervals",
        "had given no complete reading for three intervals",
    ),
}
"""What is wrong with a switch that is not read: as it is, and as it was."""


def title(finding: Finding | Detection) -> str:
    """What was found, in one sentence; what is cleared in the past tense."""
    kind, subject, details = finding.kind, finding.subject, finding.details
    over = isinstance(finding, Finding) and finding.state is State.CLEARED
    is_, are, has = ("was", "were", "had") if over else ("is", "are", "has")
    ports = [port_name(port) for port in details.ports]
    here = port_name((subject.switch, subject.port))

    def tense(now: str, then: str) -> str:
        return then if over else now

    match kind:
        case FindingKind.MOVED:
            return f"{subject.mac} moved from {ports[0]} to {ports[-1]}"
        case FindingKind.MOVED_TOGETHER:
            return f"{details.count} addresses moved together from {ports[0]} to {ports[-1]}"
        case FindingKind.TOPOLOGY_CHANGE:
            go, (before, now) = tense("go", "went"), (port for _, port in details.ports[:2])
            return (
                f"paths changed: {details.count} addresses {go} another way, first from port {before} to port {now} of "
                f"{subject.switch}"
            )
        case FindingKind.SWITCH_REPLACED if finding.cause is Cause.PORTS_RENAMED:
            return f"{counted(details.count, 'port')} of {subject.switch} {'has' if details.count == 1 else 'have'} another name"
        case FindingKind.SWITCH_REPLACED:
            return f"{subject.switch} is another device than before"
        case FindingKind.FLAPPING:
            return f"{subject.mac} jumped {counted(details.count, 'time')} between {joined(ports)}"
        case FindingKind.DUPLICATE:
            return f"{subject.mac} {is_} at {joined(ports)} at the same time"
        case FindingKind.IP_CONFLICT:
            answers, macs = tense("answers", "answered"), joined([str(mac) for mac in details.macs[:3]])
            return f"{subject.ip} {answers} with several addresses by turns: {macs}"
        case FindingKind.MULTIPLE_IPS:
            answers = tense("answers", "answered")
            return f"{subject.mac} {answers} with {' and with '.join(details.ips[:3])}"
        case FindingKind.LOOP:
            names = [port for _, port in details.ports]
            where = f"port{'' if len(names) == 1 else 's'} {joined(names)} of {subject.switch}"
            return f"{details.count} addresses {tense('jump', 'jumped')} to {where} and back"
        case FindingKind.FLOOD:
            return f"{details.count} new addresses on {here} within minutes"
        case FindingKind.LEFT_OUT:
            return (
                f"{counted(details.count, 'new address', 'new addresses')} on {here} left out of the records"
            )
        case FindingKind.SILENT_PORT:
            label = f" ({details.alias})" if details.alias else ""
            return f"{here}{label}: link {is_} up but no address {is_} learned"
        case FindingKind.OVERFULL:
            seats = counted(details.limit or 0, "seat")
            there = counted(details.count, "address", "addresses")
            return f"{here} {tense('carries', 'carried')} {there} and {has} {seats}"
        case FindingKind.STRANGER:
            return f"{subject.mac} {is_} on {here}{vlan_text(details.vlan)} but not on the port's roll"
        case FindingKind.OUT_OF_PLACE:
            belongs = joined(list(details.levels)) or "elsewhere"
            return f"{subject.mac} {is_} on {joined(ports)}{vlan_text(details.vlan)} and {is_} enrolled at {belongs}"
        case FindingKind.OTHER_VLAN:
            there = counted(details.count, "address", "addresses")
            carries = tense("carries", "carried")
            return f"{here} {carries} {there}{vlan_text(details.vlan)}, which {is_} not expected there"
        case FindingKind.BARRED:
            why = f" ({details.reason})" if details.reason else ""
            return f"{subject.mac} {is_} barred{why} and {is_} on {joined(ports)}"
        case FindingKind.EXPIRING:
            what = counted(details.count, "entry of a roll", "entries of rolls")
            one, many = tense("expires", "was to expire"), tense("expire", "were to expire")
            return f"{what} {one if details.count == 1 else many} within days, at {first_of(list(details.levels)) or 'some level'}"
        case FindingKind.UPLINK_CLAIMED:
            begins, stay = tense("begins", "began"), tense("stay", "stayed")
            return f"{here} {begins} to look like an uplink; its rules {stay} in force"
        case FindingKind.TABLE_FILLING:
            state = "full" if finding.severity is Severity.SERIOUS else "nearly full"
            use = table_use(details.count, details.limit)
            return f"the MAC address table of {subject.switch} {is_} {state}: {use}"
        case FindingKind.AGEING_TOO_SHORT:
            return f"{subject.switch} {tense('forgets', 'forgot')} addresses sooner than it {is_} read"
        case FindingKind.AGEING_TOO_LONG:
            return f"{subject.switch} {tense('keeps', 'kept')} addresses for {_kept(details.ageing)}"
        case FindingKind.RESTARTED:
            return f"{subject.switch} restarted"
        case FindingKind.NOT_READ:
            what = f"{subject.switch} {tense(*HEALTH.get(details.health, HEALTH['failed']))}"
            if not details.count:
                return what
            do = tense("does", "did") if details.count == 1 else tense("do", "did")
            return f"{what}, nor {do} {counted(details.count, 'switch', 'switches')} behind it"
        case FindingKind.SWITCHES_LATE:
            return f"{details.count} of {counted(details.limit or 0, 'switch', 'switches')} {are} not read"
        case FindingKind.SITE_NOT_READ:
            return f"no readings {tense('come', 'came')} from {joined(list(details.levels))}"
        case FindingKind.READINGS_DROPPED:
            what = counted(details.count, "reading")
            return f"{what} of {joined(list(details.levels))} were dropped before they could be sent"
        case FindingKind.READINGS_REFUSED:
            return f"readings of {joined(list(details.levels))} were refused"
        case FindingKind.WORKER_FAILED:
            fails = tense("fails" if details.count == 1 else "fail", "failed")
            return f"the service's {joined(list(details.levels))} {fails}"
        case FindingKind.DATABASE_AWAY:
            return f"the database was away for {span(details.interval) if details.interval else 'a while'}"
        case FindingKind.DISK_FILLING:
            left = f"{_gigabytes(details.count)} of {_gigabytes(details.limit)}"
            return f"the disk of the service {has} {left} left"
        case FindingKind.CERTIFICATE_ENDS:
            ends = "ended" if details.count else tense("ends", "was to end")
            return f"the certificate of the service {ends} at {details.reason} UTC"
        case FindingKind.ALERTS_FAIL:
            return f"alerts {tense('do', 'did')} not reach {joined(list(details.levels))}"
        case FindingKind.PORT_CLOSED:
            held = finding.cause is Cause.CAME_BACK
            return f"{here} {is_} {'held closed' if held else 'closed'}; the reason then: {details.reason}"
        case FindingKind.CLOSING_STOPPED:
            return f"rules {tense('close', 'closed')} no more ports by themselves"
        case _:
            assert_never(kind)


def _kept(ageing: timedelta | None) -> str:
    return "ever" if ageing is None or ageing >= bounds.AGEING else span(ageing)


def _gigabytes(megabytes: int | None) -> str:
    return f"{(megabytes or 0) / 1000:.1f} GB"
