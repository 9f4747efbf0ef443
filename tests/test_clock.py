"""The clock goes on when the system's clock is set back."""

from datetime import datetime, timedelta

from kiteroll.clock import SystemClock
from tests.support.factories import NOON

HOUR = timedelta(hours=1)


class System:
    """A system's clock, turned by hand."""

    def __init__(self) -> None:
        self.wall = NOON
        self.seconds = 0.0

    def pass_by(self, span: timedelta) -> None:
        self.wall += span
        self.seconds += span.total_seconds()

    def clock(self) -> SystemClock:
        return SystemClock(lambda: self.wall, lambda: self.seconds)


def test_it_is_the_systems_clock_and_follows_it_forward() -> None:
    system = System()
    clock = system.clock()
    system.pass_by(HOUR)
    assert clock.now() == NOON + HOUR
    system.wall += 5 * HOUR
    assert clock.now() == system.wall and clock.ahead() == timedelta(0)


def test_set_back_it_goes_on_at_half_speed_until_the_two_agree() -> None:
    system = System()
    clock = system.clock()
    system.wall -= HOUR
    given: list[datetime] = [clock.now()]
    assert clock.ahead() == HOUR
    for _ in range(12):
        system.pass_by(timedelta(minutes=10))
        given.append(clock.now())
    assert given == sorted(given) and len(set(given)) == len(given)
    assert given[6] == NOON + HOUR / 2 and clock.now() == system.wall and clock.ahead() == timedelta(0)


def test_after_a_restart_it_begins_behind_the_last_reading() -> None:
    system = System()
    clock = system.clock()
    clock.never_before(NOON + HOUR)
    system.pass_by(timedelta(minutes=2))
    assert clock.now() == NOON + HOUR + timedelta(minutes=1)
