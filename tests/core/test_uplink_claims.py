"""A port with rules does not escape them by looking like an uplink."""

from dataclasses import replace

import pytest

from kiteroll.core.findings.finding import FindingKind
from kiteroll.core.findings.kinds import uplink_claimed
from kiteroll.core.findings.lifecycle import FindingLifecycle
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.policy.uplink_claims import UplinkClaims
from kiteroll.core.topology.inference import NeighbourClaim, TopologyFacts, confirmed_ports, infer
from kiteroll.core.topology.roles import PortRole, Role, RoleEvidence
from kiteroll.wording.finding_titles import title
from kiteroll.wording.findings import evidence_text
from tests.support.factories import at

PORT = ("a", "p5")
ACCESS = PortRole(Role.ACCESS)
FORGED = PortRole(Role.UPLINK, RoleEvidence.SWITCH_ADDRESS, ("b",), ("b",), ("b",))


@pytest.mark.parametrize(
    ("role", "minutes", "lifted"),
    [
        (FORGED, 60, False),
        (replace(FORGED, evidence=RoleEvidence.NEIGHBOUR), 60, False),
        (replace(FORGED, evidence=RoleEvidence.NEIGHBOUR, confirmed=True), 60, True),
        (replace(FORGED, evidence=RoleEvidence.OPERATOR), 60, True),
        (FORGED, 2, True),
    ],
    ids=["address", "LLDP frame", "seen by the far end", "the operator's word", "just connected"],
)
def test_what_lifts_the_rules_of_a_port(role: PortRole, minutes: int, lifted: bool) -> None:
    claims = UplinkClaims()
    claims.evaluated("a", at(0))  # nobody is at the port yet
    assert claims.lifts_rules(PORT, role, at(minutes), at(minutes)) is lifted
    assert (PORT in claims.claims()) is not lifted
    assert not claims.lifts_rules(PORT, ACCESS, None, at(minutes + 1)) and not claims.claims()


def test_a_claimed_uplink_is_none_for_whoever_asks_until_it_is_confirmed() -> None:
    facts = TopologyFacts(switches=frozenset("ab"), seen={PORT: frozenset("b")}, claimed=frozenset({PORT}))
    role = infer(facts).role(PORT)
    assert (role.is_uplink, role.claimed, role.leads_to) == (False, True, ())
    claims = UplinkClaims()
    assert not claims.lifts_rules(PORT, role, None, at(0)) and PORT in claims.claims()
    claims.retain_ports("a", ())
    assert not claims.claims(), "nobody is there any more"
    assert infer(replace(facts, by_operator={PORT: Role.UPLINK})).is_uplink(PORT)


def test_an_uplink_from_the_beginning_is_one() -> None:
    claims = UplinkClaims()
    assert claims.lifts_rules(PORT, FORGED, None, at(0)) and claims.lifts_rules(PORT, FORGED, None, at(60))


def test_an_engine_that_takes_the_place_of_another_knows_its_switches() -> None:
    before = UplinkClaims()
    before.evaluated("a", at(0))
    claims = UplinkClaims(known_since=before.known_since)
    assert not claims.lifts_rules(PORT, FORGED, at(60), at(60))


def test_a_claim_outlives_the_run_in_which_it_was_made() -> None:
    reported = FindingLifecycle(Thresholds()).apply([uplink_claimed.detect(PORT, FORGED, at(60))], {})
    claims = UplinkClaims(uplink_claimed.ports_of(reported))
    assert not claims.lifts_rules(PORT, FORGED, None, at(61)) and PORT in claims.claims()
    assert claims.lifts_rules(("a", "p24"), FORGED, None, at(61)), "others are uplinks from the beginning"
    assert claims.lifts_rules(PORT, replace(FORGED, confirmed=True), None, at(62))
    assert claims.lifts_rules(PORT, FORGED, None, at(63)) and not claims.claims(), "it was confirmed once"


def test_a_claim_is_a_finding_that_says_what_it_rests_on() -> None:
    found = uplink_claimed.detect(PORT, FORGED, at(60))
    assert (found.kind, found.subject.key) == (FindingKind.UPLINK_CLAIMED, "|a|p5|")
    assert title(found) == "a port p5 begins to look like an uplink; its rules stay in force"
    assert evidence_text(found.evidence[0]) == "the bridge address of a known switch is learned there: b"


def _claim(switch: str, port: str, other: str, far: str, described: str = "") -> NeighbourClaim:
    return NeighbourClaim((switch, port), other, other, True, far, described)


def test_a_cable_is_confirmed_where_both_ends_name_each_other() -> None:
    ours = [_claim("a", "p24", "b", "p1"), _claim("b", "p1", "a", "02:1a:f0:00:01:18", "p24")]
    assert confirmed_ports(ours) == {("a", "p24"), ("b", "p1")}
    forged = _claim("a", "p5", "b", "p1")
    assert confirmed_ports([*ours, forged]) == {("a", "p24"), ("b", "p1")}, "the far end is at another port"
    roles = infer(TopologyFacts(switches=frozenset("ab"), claims=[*ours, forged]))
    assert roles.role(("a", "p24")).confirmed and not roles.role(PORT).confirmed
