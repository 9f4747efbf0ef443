"""Outages: what is behind a switch that does not answer is part of that, and so is each of very many."""

from dataclasses import replace
from datetime import datetime, timedelta

import pytest

from kiteroll.core.findings.condition_watch import ConditionWatch
from kiteroll.core.findings.finding import Finding, FindingKind, Severity, State
from kiteroll.core.findings.kinds import switch_not_read
from kiteroll.core.findings.lifecycle import FindingLifecycle
from kiteroll.core.findings.links_towards import LinksTowards, LinkTowards
from kiteroll.core.findings.service_condition import ServiceCondition
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.reading import Oper
from kiteroll.core.policy.rule_book import RuleBook
from kiteroll.core.replay.memory_facts import MemoryFacts
from kiteroll.core.topology.cut_off import cut_off
from kiteroll.core.topology.inference import NeighbourClaim, TopologyFacts, infer
from kiteroll.core.topology.roles import Topology
from kiteroll.core.tracking.switch_health import SwitchCondition, SwitchHealth
from kiteroll.wording.finding_titles import title
from kiteroll.wording.findings import cause
from tests.support.factories import at

MINUTE = timedelta(minutes=1)
TREE = ("core-dist", "dist-a", "dist-b", "b-c", "core-other", "other-d")
ALL = {"core", "dist", "other", "a", "b", "c", "d"}


def _network(*cables: str) -> Topology:
    ends = [tuple(cable.split("-")) for cable in cables]
    claims = [
        NeighbourClaim((one, f"to-{two}"), two, two, bridge=True, far_port=f"to-{one}")
        for pair in ends
        for one, two in (pair, pair[::-1])
    ]
    return infer(TopologyFacts(switches=frozenset(name for pair in ends for name in pair), claims=claims))


@pytest.mark.parametrize(
    ("cables", "silent", "expected"),
    [
        pytest.param(TREE, {"dist", "a", "b", "c"}, {"a": "dist", "b": "dist", "c": "dist"}, id="a branch"),
        pytest.param(TREE, {"a", "c"}, {}, id="two that are next to one that answers"),
        pytest.param(TREE, {"b", "c"}, {"c": "b"}, id="the end of a branch"),
        pytest.param(TREE, ALL, {}, id="nobody answers"),
        pytest.param(TREE, {"dist", "a", "d"}, {"a": "dist"}, id="one elsewhere is not behind it"),
        pytest.param(
            (*TREE, "other-a"), {"dist", "a", "b", "c"}, {"b": "dist", "c": "dist"}, id="another way"
        ),
        pytest.param(
            ("core-dist", "core-other", "dist-a", "other-a"),
            {"dist", "other", "a"},
            {"a": "dist"},
            id="both ways",
        ),
        pytest.param((), {"a", "b"}, {}, id="no cable is known"),
    ],
)
def test_who_is_behind_a_switch_that_does_not_answer(
    cables: tuple[str, ...], silent: set[str], expected: dict[str, str]
) -> None:
    assert cut_off(_network(*cables), silent, ALL - silent) == expected


class Facts(MemoryFacts):
    def __init__(self) -> None:
        super().__init__(hold_time=None, shared=(), rules=RuleBook())
        self.silent: dict[str, datetime] = {}
        """Since when they do not answer."""

    def conditions(self) -> list[SwitchCondition]:
        return [
            SwitchCondition(
                name=name,
                interval=MINUTE,
                read_at=at(0),
                last_outcome=SwitchHealth.SILENT if name in self.silent else SwitchHealth.REFUSED,
                outcome_since=self.silent.get(name, at(0)),
            )
            for name in sorted(ALL)
            if name in self.silent or name == "core"
        ] + [SwitchCondition(name=f"sound-{one}", interval=MINUTE, enabled=True) for one in range(20)]

    def service(self) -> ServiceCondition:
        return ServiceCondition()


class Watched:
    def __init__(self) -> None:
        self.facts, self.life = Facts(), FindingLifecycle(Thresholds())
        self._watch = ConditionWatch(Thresholds())

    def look(self, minute: float) -> dict[str, Finding]:
        """Findings of switches that are not read, by switch; "" for the one of many."""
        self.life.apply(self._watch.detect(self.facts, _network(*TREE), at(minute)), {})
        kinds = (FindingKind.NOT_READ, FindingKind.SWITCHES_LATE)
        return {one.subject.switch: one for one in self.life.live().values() if one.kind in kinds}


def test_a_switch_that_takes_others_along_is_one_finding() -> None:
    watched = Watched()
    watched.facts.silent = {"a": at(1), "b": at(1.2)}
    found = watched.look(1.3)
    assert found["a"].stands_open and title(found["a"]) == "a does not answer"
    watched.facts.silent["dist"] = at(1.9)
    found = watched.look(2)
    assert [name for name, one in found.items() if one.stands_open and name != "core"] == ["dist"]
    assert title(found["dist"]) == "dist does not answer, nor do 2 switches behind it"
    assert found["dist"].severity is Severity.SERIOUS
    assert cause(found["a"]) == "it is behind dist, which does not answer either"
    del watched.facts.silent["dist"], watched.facts.silent["a"]
    found = watched.look(3)
    assert found["b"].stands_open, "it still does not answer, though the way to it does"


def test_one_that_was_silent_long_before_stands_for_itself() -> None:
    watched = Watched()
    watched.facts.silent = {"a": at(1)}
    watched.look(2)
    watched.facts.silent |= {"dist": at(60), "b": at(60)}
    found = watched.look(61)
    assert {name for name, one in found.items() if one.stands_open} == {"a", "core", "dist"}


def test_very_many_are_one_finding_until_it_is_over() -> None:
    watched = Watched()
    watched.facts.silent = {"a": at(1)}
    assert watched.look(1.5)["a"].stands_open
    watched.facts.silent |= dict.fromkeys(("b", "c", "d", "dist", "other"), at(2))
    watched.facts.silent["core"] = at(2)
    found = watched.look(2.5)
    assert [name for name, one in found.items() if one.stands_open] == [""]
    assert title(found[""]) == "7 of 27 switches are not read"
    watched.facts.silent = {"a": at(1)}
    assert not watched.look(3)["a"].stands_open, "it is not known yet whether that is over"
    watched.life.expire(at(3) + Thresholds().condition_clear_after)
    found = watched.look(6)
    assert found["a"].state is State.OPEN and found["a"].stands_open


def test_the_link_to_a_switch_that_does_not_answer_is_told_as_it_is_reported_since() -> None:
    links, core = LinksTowards(), SwitchCondition(name="core", interval=MINUTE, read_at=at(1))
    dist = SwitchCondition(name="dist", interval=MINUTE, outcome_since=at(2))
    states = {("core", "to-dist"): (Oper.DOWN, at(2.1))}

    def look(topology: Topology, read_at: float) -> LinkTowards | None:
        found = links.look(topology, [dist], lambda _: states, {"core": replace(core, read_at=at(read_at))})
        return found.get("dist")

    assert look(_network(*TREE), 1) is None, "that was before it fell silent"
    down = look(_network(*TREE), 3)
    assert down == (("core", "to-dist"), False)
    assert look(Topology({}), 18) == down, "nobody tells of the cable any more"
    found = switch_not_read.detect(replace(dist, last_outcome=SwitchHealth.SILENT), at(3), link=down)
    assert found is not None and cause(found).startswith("the link to it is down at core port to-dist")
    states["core", "to-dist"] = (Oper.UP, at(18.5))
    assert look(Topology({}), 19) is None, "it came up meanwhile: who knows what is connected there"
    states["core", "to-dist"] = (Oper.UP, at(0))
    up = look(_network(*TREE), 19)
    silent = replace(dist, last_outcome=SwitchHealth.SILENT, error="no answer to 3 tries")
    found = switch_not_read.detect(silent, at(19), link=up)
    assert found is not None and cause(found) == (
        "the link to it is up at core port to-dist, so its agent is to be looked at. no answer to 3 tries"
    )
    found = switch_not_read.detect(silent, at(19), hides=80, link=up)
    assert found is not None and "up at core port to-dist: it hangs, or lets no" in cause(found)
    links.look(_network(*TREE), [], lambda _: states, {})
    assert look(Topology({}), 20) is None, "it had answered meanwhile"
