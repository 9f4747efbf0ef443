"""What follows from a breach where the rule of the port says to propose closing it, or to close it."""

import hashlib
import json
from collections.abc import Collection, Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from kiteroll.core.findings.finding import Finding, FindingKind, State
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.policy.port_rules import NO_LIMIT, OnBreach, PortRule
from kiteroll.core.policy.rule_book import RuleBook

BREACHES = frozenset(
    {
        FindingKind.OVERFULL,
        FindingKind.STRANGER,
        FindingKind.OUT_OF_PLACE,
        FindingKind.OTHER_VLAN,
        FindingKind.BARRED,
    }
)
PROPOSED_FOR = timedelta(hours=24)
"""A proposal that nobody decides on is over then."""


class Consequence(StrEnum):
    PROPOSE = "propose"
    CLOSE = "close"
    PROPOSE_NOT_REHEARSED = "propose, for the rule was not rehearsed"
    """It says to close, and was never rehearsed as it is now."""


@dataclass(frozen=True, slots=True)
class Step:
    port: PortRef
    consequence: Consequence
    reopen_after: timedelta


def steps(finding: Finding, rules: RuleBook, rehearsed: Collection[str]) -> list[Step]:
    """What a finding leads to, at each of its ports. `rehearsed`: what `fingerprint` gave of rules that were
    rehearsed."""
    if finding.kind not in BREACHES or finding.state is State.CLEARED:
        return []
    found = []
    for port in sorted(finding.ports):
        rule = rules.rule(port)
        if rule.on_breach is OnBreach.PROPOSE:
            found.append(Step(port, Consequence.PROPOSE, rule.reopen_after))
        elif rule.on_breach is OnBreach.CLOSE:
            known = fingerprint(port[0], rule) in rehearsed
            consequence = Consequence.CLOSE if known else Consequence.PROPOSE_NOT_REHEARSED
            found.append(Step(port, consequence, rule.reopen_after))
    return found


def may_act(rules: RuleBook) -> bool:
    """Whether any rule proposes to close a port, or closes it."""
    return any(rule.on_breach in (OnBreach.PROPOSE, OnBreach.CLOSE) for rule in rules.rules.values())


def to_be_rehearsed(live: Iterable[Finding], rules: RuleBook) -> set[str]:
    """Fingerprints of the rules that close the ports of these findings, if they were rehearsed."""
    ruled = ((port[0], rules.rule(port)) for one in live for port in one.ports)
    return {fingerprint(switch, rule) for switch, rule in ruled if rule.on_breach is OnBreach.CLOSE}


def fingerprint(switch: str, rule: PortRule) -> str:
    """Of what can be broken at ports of a switch with this rule. Rolls are not part of it: they change every
    day, and whoever is struck off is meant to be a stranger."""
    seats = "no limit" if rule.seats is NO_LIMIT else rule.seats
    vlans = None if rule.vlans is None else sorted(rule.vlans)
    parts = [switch, seats, rule.watched, vlans, rule.uplinks]
    return hashlib.sha256(json.dumps(parts).encode()).hexdigest()


def may_close(closed_by_rules: int, most: int, stopped_at: datetime | None) -> bool:
    """Whether a rule may close another port by itself. `closed_by_rules`: within the last hour; once it was
    stopped it takes a person to let it go on."""
    return stopped_at is None and closed_by_rules < most
