"""What was reported of a switch, and what is not judged yet, under its new name."""

from dataclasses import replace
from datetime import timedelta

from kiteroll.core.findings.engine import SwitchRead
from kiteroll.core.findings.finding import Details, Detection, Finding, FindingKind, Severity, Subject
from kiteroll.core.findings.kinds import silent_port
from kiteroll.core.findings.kinds.silent_port import PortActivity
from kiteroll.core.findings.lifecycle import FindingLifecycle
from kiteroll.core.findings.renaming import renamed_finding, renamed_read
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.changes import Appeared, Moved, Restarted
from kiteroll.core.model.stay import Place
from kiteroll.core.topology.roles import Topology
from tests.support.factories import at, mac


def _finding(detection: Detection | None) -> Finding:
    assert detection is not None
    (found,) = FindingLifecycle(Thresholds()).apply([detection], {})
    return found


def _silent(switch: str) -> Finding:
    port = PortActivity(switch=switch, port="p1", alias="a", up_since=at(0))
    return _finding(silent_port.detect(port, Topology({}), Thresholds(), at(3 * 24 * 60)))


def test_a_finding_is_the_one_that_would_be_reported_under_the_new_name() -> None:
    assert renamed_finding(_silent("a"), "a", "b") == _silent("b"), "its port is labelled a, and stays so"
    assert renamed_finding(_silent("c"), "a", "b") == _silent("c")


def test_one_of_an_address_names_the_port_by_the_new_name_and_stays_part_of_the_same() -> None:
    detection = Detection(
        kind=FindingKind.MOVED,
        severity=Severity.NOTE,
        subject=Subject(mac=mac(1)),
        cause=_silent("a").cause,
        details=Details(ports=(("c", "p2"), ("a", "p1"))),
        first_at=at(0),
        last_at=at(1),
        ports=frozenset({("c", "p2"), ("a", "p1")}),
    )
    found = renamed_finding(replace(_finding(detection), part_of=_silent("a").key), "a", "b")
    assert found.details.ports == (("c", "p2"), ("b", "p1")) and found.switches == {"b", "c"}
    assert (found.key, found.part_of) == (detection.key, _silent("b").key)


def test_what_waits_to_be_judged_is_of_the_new_name() -> None:
    here, there = Place("a", "p1", 10), Place("a", "p2", 10)
    changes = (
        Appeared(at=at(1), mac=mac(1), place=here, stay=1),
        Moved(at=at(1), mac=mac(2), place=here, stay=2, origin=there, ended=3, last_seen_at=at(0)),
        Restarted(at=at(1), switch="a", booted_at=at(0), grace_until=at(1) + timedelta(minutes=5)),
    )
    reported = renamed_read(SwitchRead(switch="a", at=at(1), changes=changes), "a", "b")
    assert "'a'" not in repr(reported) and repr(reported).count("'b'") == 5
    other = SwitchRead(switch="c", at=at(1), changes=())
    assert renamed_read(other, "a", "b") is other
