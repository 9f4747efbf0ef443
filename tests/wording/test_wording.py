"""Every value of core that people meet has words, and no words show how the program is made."""

from datetime import timedelta
from typing import get_args

import pytest

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
    in_order,
)
from kiteroll.core.findings.finding import Cause, Details, Detection, FindingKind, Severity, Subject
from kiteroll.core.findings.lifecycle import FindingLifecycle
from kiteroll.core.findings.registry import KINDS
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.stay import Ending, Place
from kiteroll.core.topology.home import Because, Home, HomeReason
from kiteroll.core.topology.path import Hop
from kiteroll.core.topology.roles import PortRole, Role, RoleEvidence
from kiteroll.wording.finding_titles import title
from kiteroll.wording.findings import cause, evidence_text
from kiteroll.wording.spans import counted, joined, span, speed_text
from kiteroll.wording.stays import ending_text
from kiteroll.wording.topology import home_reasons, hop_text, role_text
from tests.support.factories import at, mac

DETAILS = Details(
    ports=(("quay-1", "p1"), ("quay-2", "p2")),
    macs=(mac(1), mac(2)),
    ips=("10.0.0.5 (kiosk-5)", "10.0.0.9"),
    count=3,
    limit=2,
    vlan=10,
    alias="Kiosk",
    link_changed=True,
    health="silent",
    error="no answer to 3 tries",
    reason="reported lost",
    levels=("quay-1 port p1",),
    interval=timedelta(minutes=10),
    ageing=timedelta(minutes=5),
)
OF_THE_SERVICE = {
    *("switches-not-read", "worker-failed", "database-away", "disk-filling", "certificate-ends"),
    "closing-stopped",
}
"""They have no subject of their own."""
SUBJECT = Subject(mac=mac(1), switch="quay-1", port="p1", ip="10.0.0.5")


def _detection(kind: FindingKind, why: Cause, details: Details = DETAILS) -> Detection:
    return Detection(
        kind=kind,
        severity=Severity.NOTE,
        subject=SUBJECT,
        cause=why,
        details=details,
        first_at=at(0),
        last_at=at(1),
    )


def _is_a_sentence(text: str) -> bool:
    return bool(text) and not set("{}<>_") & set(text) and "None" not in text and "  " not in text


@pytest.mark.parametrize("kind", FindingKind)
def test_every_kind_has_a_title_that_names_its_subject(kind: FindingKind) -> None:
    text = title(_detection(kind, Cause.UNCLEAR))
    assert _is_a_sentence(text)
    own = (kind.value in OF_THE_SERVICE) and any(
        word in text for word in ("service", "database", "switches", "rules")
    )
    assert own or any(word in text for word in (str(mac(1)), "quay-1", "10.0.0.5"))


@pytest.mark.parametrize("kind", [kind for kind, info in KINDS.items() if info.condition])
def test_a_condition_that_is_over_is_reported_as_it_was(kind: FindingKind) -> None:
    lifecycle = FindingLifecycle(Thresholds())
    (found,) = lifecycle.apply([_detection(kind, Cause.UNCLEAR)], {})
    cleared = lifecycle.clear(found.key, "ida", at(2))
    assert cleared is not None and _is_a_sentence(title(cleared))
    assert not {"is", "are", "has", "carries", "keeps", "forgets", "fails"} & set(title(cleared).split())


@pytest.mark.parametrize("why", Cause)
def test_every_cause_is_explained_also_without_details(why: Cause) -> None:
    for details in (DETAILS, Details()):
        assert _is_a_sentence(cause(_detection(FindingKind.MOVED, why, details)))


PLACE, PORT = Place("quay-1", "p1", 10), ("quay-1", "p1")
PIECES: dict[str, Evidence] = {
    "learned at quay-1 port p1 VLAN 10": Learned(at(0), PLACE),
    "no longer at quay-1 port p1 VLAN 10": Left(at(0), PLACE),
    "still present at both": StillAtBoth(at(0)),
    "from port p1 to port p2 of quay-1": Jumped(at(0), mac(1), "quay-1", "p1", "p2"),
    "the link of quay-1 port p1 changed": LinkChanged(at(0), PORT),
    "the link of quay-1 port p1 has not changed": LinkSteady(at(0), PORT),
    f"with {mac(1)}": IpAnswered(at(0), "10.0.0.5", mac(1)),
    "10.0.0.9 (kiosk-9) began to answer": IpHeld(at(0), "10.0.0.9", ("kiosk-9",), "core-1"),
    f"present at once: {mac(1)}, {mac(2)} and 3 more": PresentTogether(at(0), (mac(1), mac(2)), 5),
    "the roll has 1 entry": NotOnRoll(at(0), 10, 1),
    "the roll is empty": NotOnRoll(at(0), None, 0),
    "enrolled at quay-1 port p1 in VLAN 10": EnrolledAt(at(0), "quay-1 port p1", 10),
    f"{mac(1)} is in VLAN 40; expected are 10, 20": InOtherVlan(at(0), mac(1), 40, "10, 20"),
    "present on quay-1 port p1": PresentAt(at(0), PORT),
    "02:1a:05, enrolled at group quays, expires 2026-05-04": EntryExpires(
        at(0), "02:1a:05", "group quays", at(60)
    ),
    "20 addresses jumped to and fro between ports p1 and p2": ManyJumped(at(0), 20, ("p1", "p2")),
    "40 addresses went from quay-1 port p1 to core-1 port p2": ManyMoved(at(0), 40, PORT, ("core-1", "p2")),
    "30 addresses went from port p1 to port p2 of quay-1": PathsChanged(at(0), "quay-1", "p1", "p2", 30),
    f"its bridge address is {mac(2)}; it was {mac(1)}": OtherIdentity(at(0), mac(1), mac(2)),
    "9 addresses are at ports of other names: 1/5 to 2/5": PortsRenamed(at(0), 9, (("1/5", "2/5"),)),
    "spanning-tree": TopologyChanged(at(0)),
    "60 addresses that no switch had before": NewAddresses(at(0), 60),
    "a known switch announces itself there (LLDP): core-1": ClaimsUplink(
        at(0), "LLDP neighbour", ("core-1",)
    ),
    "an address was seen there last": NoAddress(at(0), True),
    "without a pause": WatchedSince(at(0)),
    "90 of 100": TableUse(at(0), 90, 100),
    "for lack of room": DiscardsRose(at(0)),
    "no answer": NotRead(at(0), "silent", "no answer to 3 tries"),
    "topology: KeyError": ServiceNoted(at(0), "topology", "KeyError"),
    "started": Started(at(0)),
}


@pytest.mark.parametrize(("words", "piece"), PIECES.items(), ids=lambda one: type(one).__name__)
def test_every_piece_of_evidence_reads_as_a_sentence(words: str, piece: Evidence) -> None:
    text = evidence_text(piece)
    assert words in text and _is_a_sentence(text)


def test_no_piece_of_evidence_is_forgotten_and_their_order_is_always_the_same() -> None:
    assert {type(piece) for piece in PIECES.values()} == set(get_args(Evidence))
    pieces = list(PIECES.values())
    assert in_order(pieces) == in_order(pieces[::-1])


@pytest.mark.parametrize("because", Because)
def test_every_reason_of_a_home_is_said(because: Because) -> None:
    reason = HomeReason(because, Place("quay-1", "p1", 10), ("core-1", "core-2"), 2)
    (text,) = home_reasons(Home(None, (reason,)))
    assert _is_a_sentence(text)


@pytest.mark.parametrize("evidence", RoleEvidence)
@pytest.mark.parametrize("role", Role)
def test_every_role_and_hop_is_said(role: Role, evidence: RoleEvidence) -> None:
    for beyond in ("", "small-box"):
        one = PortRole(role, evidence, ("core-1",), ("core-1",), ("core-1",), beyond=beyond)
        assert _is_a_sentence(role_text(one))
        for count in (None, 1, 3):
            assert _is_a_sentence(hop_text(Hop("quay-1", "p1", True, "core-1", one, count)))


@pytest.mark.parametrize("ending", Ending)
def test_every_ending_is_said(ending: Ending) -> None:
    assert _is_a_sentence(ending_text(ending))


@pytest.mark.parametrize(
    ("seconds", "text"), [(59, "59 s"), (300, "5 min"), (7200, "2 h"), (3 * 86400, "3 days")]
)
def test_spans_have_one_unit(seconds: float, text: str) -> None:
    assert span(timedelta(seconds=seconds)) == text


def test_counts_lists_and_speeds() -> None:
    assert (counted(1, "seat"), counted(2, "seat"), counted(0, "entry", "entries")) == (
        "1 seat", "2 seats", "0 entries",
    )  # fmt: skip
    assert (joined(["a"]), joined(["a", "b"]), joined(["a", "b", "c"])) == ("a", "a and b", "a, b and c")
    assert [speed_text(one) for one in (10**9, 10**8, None)] == ["1 Gb/s", "100 Mb/s", ""]
