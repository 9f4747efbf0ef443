"""The tracker: what does this reading change? Deterministic, and silent when nothing did.

Rules (docs/tracking.md has them for readers):

- presence counts in every reading; absence counts in complete readings only;
- missing from a complete reading: quiet; quiet for the hold time: gone;
- a port that is down ends the stays missing there at once; another port of the same switch in the
  same VLAN ends the old stay at once, for a table holds an address once a VLAN;
- a restart empties a table: until one ageing time after it, missing addresses are awaited.
"""

from collections.abc import Iterable, Mapping
from datetime import datetime, timedelta
from itertools import count

from kiteroll.core.model.changes import (
    Appeared,
    Awaited,
    Change,
    Gone,
    Moved,
    Quiet,
    Restarted,
    Resumed,
    Returned,
)
from kiteroll.core.model.mac_table import MacTable
from kiteroll.core.model.reading import Oper, Reading, mac_of, vlan_of
from kiteroll.core.model.stay import Ending, Place
from kiteroll.core.model.uptime import uptime
from kiteroll.core.topology.sighting import judged_ageing
from kiteroll.core.tracking.checkpoint import SwitchCheckpoint
from kiteroll.core.tracking.followed_switch import follow
from kiteroll.core.tracking.hold_times import hold_time
from kiteroll.core.tracking.switch_state import RECENT, AbsentStay, OpenStay, SwitchState


class Tracker:
    def __init__(self, *, hold: timedelta | None = None, next_stay: int = 1) -> None:
        """`hold`: how long a quiet address keeps its stay; None: three times the ageing time."""
        self._hold = hold
        self._holds: dict[str, timedelta] = {}
        self._ids = count(next_stay)
        self._switches: dict[str, SwitchState] = {}

    def restore(
        self,
        switch: str,
        checkpoint: SwitchCheckpoint,
        names: Mapping[int, str],
        stays: Iterable[OpenStay],
        ageing: timedelta | None = None,
        first_at: datetime | None = None,
    ) -> None:
        """Take up a switch where an earlier run left it. `stays` are its open ones, `ageing` what it reported
        last, `first_at` when its first reading was taken."""
        self._switches[switch] = SwitchState.restore(checkpoint, names, stays, ageing, first_at)

    def follow(
        self,
        switch: str,
        changes: Iterable[Change],
        checkpoint: SwitchCheckpoint,
        names: Mapping[int, str] | None,
        ageing: timedelta | None,
    ) -> None:
        """Take over what another tracker reported of one reading: see `followed_switch.follow`."""
        follow(self._switches.setdefault(switch, SwitchState()), changes, checkpoint, names, ageing)

    def state(self, switch: str) -> SwitchState:
        """As it is now; another one after `restore`."""
        return self._switches.get(switch) or SwitchState()

    def present(self, switch: str) -> int:
        """How many addresses are in its latest table."""
        state = self._switches.get(switch)
        return len(state.table) if state else 0

    def knows(self, switch: str) -> bool:
        return switch in self._switches

    def set_hold_times(self, holds: Mapping[str, timedelta]) -> None:
        """Hold times of single switches; the others keep the one of all."""
        self._holds = dict(holds)

    def rename(self, before: str, after: str) -> None:
        if before in self._switches:
            self._switches[after] = self._switches.pop(before)

    def checkpoint(self, switch: str) -> SwitchCheckpoint:
        state = self._switches.get(switch)
        return state.checkpoint if state else SwitchCheckpoint()

    def tracked(self) -> int:
        """How many (address, place) pairs have an open stay."""
        return sum(len(state.table) + len(state.missing) for state in self._switches.values())

    def table(self, switch: str) -> MacTable:
        """A copy of one switch's present addresses; empty when it was never read."""
        state = self._switches.get(switch)
        return MacTable() if state is None else state.copy_table()

    def tables(self) -> dict[str, MacTable]:
        """A copy of every switch's present addresses. May be called from another thread: copying a
        dict of ints is one step to Python."""
        return {switch: state.copy_table() for switch, state in list(self._switches.items())}

    def drop(self, switch: str) -> None:
        """It is tracked no more; what ended with it is recorded already."""
        self._switches.pop(switch, None)

    def forget(self, switch: str, at: datetime) -> tuple[Change, ...]:
        """The switch leaves the inventory: every stay on it ends."""
        state = self._switches.pop(switch, None)
        if state is None:
            return ()
        open_stays = dict(state.missing)
        for key, stay in state.stays.items():
            open_stays[key] = AbsentStay(stay, state.names[state.table[key]], state.seen_until(key), None)
        return tuple(_gone(switch, key, stay, at, Ending.REMOVED) for key, stay in open_stays.items())

    def new_keys(self, reading: Reading) -> frozenset[int]:
        """Keys of its table that are not in the switch's table so far."""
        state = self._switches.get(reading.switch)
        if state is None:
            return frozenset(reading.learned)
        if reading.learned == state.table:
            return frozenset()
        return frozenset(reading.learned.keys() - state.table.keys())

    def apply(self, reading: Reading) -> tuple[Change, ...]:
        """Changes this reading brings, in a stable order; the tracker has taken them over.

        A reading not later than the last one applied for its switch changes nothing.
        """
        state = self._switches.setdefault(reading.switch, SwitchState())
        if state.checkpoint.last_at is not None and reading.taken_at <= state.checkpoint.last_at:
            return ()
        step = _Step(state, reading, self._ids, self._holds.get(reading.switch, self._hold))
        return tuple(step.run())


class _Step:
    """One reading meeting one switch's state."""

    def __init__(
        self, state: SwitchState, reading: Reading, ids: Iterable[int], hold: timedelta | None
    ) -> None:
        self.state = state
        self.reading = reading
        self.at = reading.taken_at
        self.ids = iter(ids)
        ageing = state.lasting_ageing(reading.device.ageing)
        self.ageing = judged_ageing(ageing)
        self.hold = hold_time(hold, ageing)
        self.changes: list[Change] = []

    def run(self) -> list[Change]:
        state, reading = self.state, self.reading
        names = reading.port_names()
        if names != state.names:
            state.renumber(names, whole=reading.complete)
        before = state.checkpoint
        grace_until = self._grace()
        if state.recent:
            state.forget_recent(self.at - RECENT)
        if reading.learned != state.table:
            self._arrivals()
            if reading.complete:
                self._absences(grace_until)
            elif reading.ports_complete:
                self._cut_off()
        if state.missing and reading.complete:
            self._hold_out(grace_until)
        if reading.complete and state.fresh:
            state.fresh.clear()
        state.checkpoint = before.after(reading, grace_until)
        return self.changes

    def _grace(self) -> datetime | None:
        checkpoint = self.state.checkpoint
        if not checkpoint.restart_before(self.reading):
            return checkpoint.grace_until
        booted_at = self.at - uptime(self.reading.device.uptime_ticks or 0)
        grace_until = booted_at + self.ageing
        self.changes.append(
            Restarted(at=self.at, switch=self.reading.switch, booted_at=booted_at, grace_until=grace_until)
        )
        return grace_until

    def _arrivals(self) -> None:
        """Addresses that are new in the table, or at another port than before."""
        state = self.state
        first = state.checkpoint.last_at is None  # who is in it may have been there for long
        for key, number in sorted(self.reading.learned.items() - state.table.items()):
            place = Place(self.reading.switch, state.names[number], vlan_of(key))
            missing = state.missing.pop(key, None)
            if missing is not None:
                self._back(key, place, missing)
            elif key in state.table:
                origin = Place(place.switch, state.names[state.table[key]], place.vlan)
                self._move(key, place, origin, state.stays[key], state.seen_until(key))
            else:
                self._begin(key, place)
            state.table[key] = number
            if not first:
                state.learned(key, self.at)
            if not self.reading.complete:
                state.fresh[key] = self.at

    def _begin(self, key: int, place: Place) -> None:
        stay = next(self.ids)
        self.state.stays[key] = stay
        self.changes.append(Appeared(at=self.at, mac=mac_of(key), place=place, stay=stay))

    def _move(self, key: int, place: Place, origin: Place, ended: int, seen: datetime) -> None:
        stay = next(self.ids)
        self.state.stays[key] = stay
        self.changes.append(
            Moved(
                at=self.at,
                mac=mac_of(key),
                place=place,
                stay=stay,
                origin=origin,
                ended=ended,
                last_seen_at=seen,
            )
        )

    def _back(self, key: int, place: Place, missing: AbsentStay) -> None:
        if missing.quiet_at is not None and self.at - missing.quiet_at > self.hold:
            # Nothing was read while the hold time ran out; the old stay still ended with it.
            ended_at = missing.quiet_at + self.hold
            self.changes.append(_gone(place.switch, key, missing, ended_at, Ending.HELD_OUT))
            self._begin(key, place)
        elif missing.port != place.port:
            origin = Place(place.switch, missing.port, place.vlan)
            self._move(key, place, origin, missing.stay, missing.last_seen_at)
        else:
            self.state.stays[key] = missing.stay
            kind: type[Resumed | Returned] = Resumed if missing.quiet_at is None else Returned
            self.changes.append(kind(at=self.at, mac=mac_of(key), place=place, stay=missing.stay))

    def _absences(self, grace_until: datetime | None) -> None:
        """Addresses that were in the table and are not in this complete reading."""
        state = self.state
        awaited = grace_until is not None and self.at < grace_until
        down = self._ports_down()
        for key in sorted(state.table.keys() - self.reading.learned.keys()):
            missing = state.remove(key)
            if missing.port in down:
                self.changes.append(_gone(self.reading.switch, key, missing, self.at, Ending.PORT_DOWN))
                continue
            missing.quiet_at = None if awaited else self.at
            state.missing[key] = missing
            kind: type[Awaited | Quiet] = Awaited if awaited else Quiet
            self.changes.append(
                kind(
                    at=self.at,
                    mac=mac_of(key),
                    place=Place(self.reading.switch, missing.port, vlan_of(key)),
                    stay=missing.stay,
                    last_seen_at=missing.last_seen_at,
                )
            )

    def _cut_off(self) -> None:
        """The table is not whole, but whoever is missing at a port that is down is not there."""
        state, down = self.state, self._ports_down()
        if not down:
            return
        missing = [
            key
            for key, number in state.table.items()
            if state.names[number] in down and key not in self.reading.learned
        ]
        for key in sorted(missing):
            gone = state.remove(key)
            self.changes.append(_gone(self.reading.switch, key, gone, self.at, Ending.PORT_DOWN))

    def _ports_down(self) -> set[str]:
        return {port.name for port in self.reading.ports if port.oper is Oper.DOWN}

    def _hold_out(self, grace_until: datetime | None) -> None:
        """End stays whose port is down or whose hold time has run out; announce overdue ones."""
        switch = self.reading.switch
        down = self._ports_down()
        grace_over = grace_until is None or self.at >= grace_until
        for key, missing in sorted(self.state.missing.items()):
            if missing.port in down:
                ending = Ending.PORT_DOWN
            elif missing.quiet_at is not None and self.at - missing.quiet_at >= self.hold:
                ending = Ending.HELD_OUT
            else:
                if missing.quiet_at is None and grace_over:
                    missing.quiet_at = self.at
                    place = Place(switch, missing.port, vlan_of(key))
                    self.changes.append(
                        Quiet(
                            at=self.at,
                            mac=mac_of(key),
                            place=place,
                            stay=missing.stay,
                            last_seen_at=missing.last_seen_at,
                        )
                    )
                continue
            del self.state.missing[key]
            self.changes.append(_gone(switch, key, missing, self.at, ending))


def _gone(switch: str, key: int, missing: AbsentStay, at: datetime, ending: Ending) -> Gone:
    return Gone(
        at=at,
        mac=mac_of(key),
        place=Place(switch, missing.port, vlan_of(key)),
        stay=missing.stay,
        last_seen_at=missing.last_seen_at,
        ending=ending,
    )
