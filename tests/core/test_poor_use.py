"""Ports that are not used as they could be."""

from kiteroll.core.model.poor_use import Link, OddLink, PoorUse, Unused, odd_links, unused
from kiteroll.wording.ports import odd_link_text, unused_text
from tests.support.factories import at

LIMIT = at(100)


def test_a_port_is_unused_since_its_link_went_or_somebody_left_whichever_is_later() -> None:
    assert unused(at(10), None, None, LIMIT, reported=True) == Unused(at(10), False, None)
    assert unused(at(10), at(50), None, LIMIT, reported=True) == Unused(at(50), True, None)
    assert unused(at(10), at(101), None, LIMIT, reported=True) is None
    assert unused(at(101), at(50), None, LIMIT, reported=True) is None


def test_a_pause_of_readings_counts_only_where_the_switch_does_not_say_when_its_link_changed() -> None:
    assert unused(at(10), None, at(60), LIMIT, reported=True) == Unused(at(10), False, None)
    assert unused(at(70), None, at(60), LIMIT, reported=False) == Unused(at(70), False, None)
    found = unused(at(10), None, at(60), LIMIT, reported=False)
    assert found == Unused(at(10), False, at(60))
    assert unused_text(found).startswith(
        "no link, and nobody was ever seen; it was not read for a while before"
    )


def test_slow_and_half_duplex_links_are_odd_beside_quicker_ones() -> None:
    links = [Link(f"p{number}", 10**9, "full") for number in range(4)]
    slow, half = Link("p8", 10**7, "full"), Link("p9", 10**9, "half")
    assert odd_links([*links, slow, half, Link("p7", None, "")]) == [
        OddLink(PoorUse.SLOW, slow, 10**9),
        OddLink(PoorUse.HALF_DUPLEX, half, 10**9),
    ]
    alike = Link("p2", 10**7, "half")
    assert odd_links([Link("p1", 10**7, "full"), alike]) == [OddLink(PoorUse.HALF_DUPLEX, alike, 10**7)]
    text = "10 Mb/s, full duplex; most ports of quay-1 run at 1000 Mb/s"
    assert odd_link_text(OddLink(PoorUse.SLOW, slow, 10**9), "quay-1") == text
