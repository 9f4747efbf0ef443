"""How many new addresses are taken: an attack is cut off, a network that grows is not."""

from datetime import timedelta

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.tracking.admission import Admission, AdmissionLimits, LeftOut
from kiteroll.core.tracking.tracker import Tracker
from tests.support.factories import mac, reading


class Records:
    """Tracker and known addresses, fed through the admission as the service feeds them."""

    def __init__(self, per_port: int = 10, endpoints: int = 1000) -> None:
        self.admission = Admission(AdmissionLimits(per_port=per_port, endpoints=endpoints))
        self.tracker = Tracker(hold=timedelta(minutes=1))
        self.known: set[MacAddress] = set()

    def read(self, minutes: float, learned: dict[int, str], *, first: bool = False) -> LeftOut | None:
        one = reading(minutes, {(number, 10): port for number, port in learned.items()})
        new = self.tracker.new_keys(one)
        taken, left_out = self.admission.admit(one, new, self.known, len(self.known), first=first)
        assert len(one.learned) - len(taken.learned) == sum((left_out.ports if left_out else {}).values())
        assert taken.complete, "what is left out makes no reading a partial one"
        self.tracker.apply(taken)
        self.known |= {MacAddress(key & (1 << 48) - 1) for key in taken.learned}
        return left_out


def _many(count: int, start: int = 1, port: str = "p1") -> dict[int, str]:
    return dict.fromkeys(range(start, start + count), port)


def test_the_first_reading_of_a_switch_is_taken_whole() -> None:
    records = Records()
    assert records.read(0, _many(500), first=True) is None
    assert records.read(1, _many(500)) is None and records.tracker.tracked() == 500


def test_a_port_that_makes_up_addresses_is_cut_off_and_the_others_are_not() -> None:
    records = Records()
    records.read(0, {}, first=True)
    left_out = records.read(1, _many(100) | {2000: "p2"})
    assert left_out is not None and left_out.ports == {"p1": 90} and not left_out.full
    assert mac(2000) in records.known and len(records.known) == 11
    assert records.read(2, _many(10) | {2000: "p2"}) is None, "known ones are no news"


def test_what_was_left_out_comes_in_as_the_hour_goes_on() -> None:
    records = Records(per_port=60)
    records.read(0, {}, first=True)
    assert records.read(1, _many(70)) == LeftOut(reading(1, {}).taken_at, "quay-1", {"p1": 10})
    assert records.read(12, _many(70)) is None, "sixty an hour are one a minute"


def test_no_more_are_known_than_may_be() -> None:
    records = Records(per_port=1000, endpoints=50)
    left_out = records.read(0, _many(80), first=True)
    assert left_out is not None and left_out.ports == {"p1": 30} and left_out.full
    assert len(records.known) == 50


def test_a_known_address_that_moves_is_taken_whatever_comes_with_it() -> None:
    records = Records()
    records.read(0, {5: "p2"}, first=True)
    records.read(1, _many(100, start=1000) | {5: "p1"})
    assert records.tracker.tracked() == 11
