"""What is known of all switches, in memory: their tables as they are tracked, and who tracks them."""

from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from itertools import groupby
from operator import itemgetter

from kiteroll.app.events import ReadingStored
from kiteroll.core.errors import TrackedElsewhere
from kiteroll.core.model.changes import Appeared, Change, Moved
from kiteroll.core.model.chunks import chunks
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.search.address_index import AddressIndex
from kiteroll.core.tracking.followed_switch import changes_between
from kiteroll.core.tracking.tracker import Tracker
from kiteroll.store import groups, inventory, retention, stay_queries, tracked_state, tracked_switches
from kiteroll.store.area_lease import SERVICE_STAYS
from kiteroll.store.database import Database
from kiteroll.store.reading_writer import ReadingWriter

_FORGOTTEN_AT_ONCE = 50_000


class TrackedFleet:
    """It comes from the records, and goes along with them. Anyone may read it; it is changed in a turn."""

    def __init__(
        self,
        database: Database,
        writer: ReadingWriter,
        hold_time: timedelta | None,
        stays: range = SERVICE_STAYS,
        area: str = "",
    ) -> None:
        """`writer`: writes the readings of these switches, and remembers what it wrote. `hold_time`: as for
        `Tracker`. `stays`: numbers of stays that are ours to give. `area`: whose tracker we are; empty: we
        are the service."""
        self._database = database
        self._writer = writer
        self._hold_time = hold_time
        self._stays = stays
        self._area = area
        self.tracker = Tracker(hold=hold_time)
        self.switches: dict[int, str] = {}
        """Id to name of the inventory. Replaced, never changed, so that others may iterate over it."""
        self.elsewhere: frozenset[int] = frozenset()
        """Ids of those that another one tracks: nothing is written of them from here."""
        self.index = AddressIndex()
        self.latest_at: datetime | None = None
        """When the latest reading was taken that was stored before this start."""
        self._on_rename: list[Callable[[str, str], None]] = []

    def on_rename(self, handler: Callable[[str, str], None]) -> None:
        """`handler` is called, in the turn in which it happens, when a switch has another name: with the one
        it had, and the new one. Whoever remembers something by names has to see to it."""
        self._on_rename.append(handler)

    # --- as the records left it -----------------------------------------------------------

    def load(self, of: Collection[int] | None = None) -> None:
        """Take up where the records left off: open stays, checkpoints, known addresses. `of`: these switches
        alone, by id."""
        next_stay = self._database.run(tracked_state.next_stay_id, self._stays)
        tracker = Tracker(hold=self._hold_time, next_stay=next_stay)
        rows = self._restore(tracker, of)
        tracker.set_hold_times(self._database.run(groups.hold_times))
        self.tracker = tracker
        self.latest_at = max((row.last_at for row in rows if row.last_at), default=None)
        self.switches = {row.id: row.name for row in rows}
        self.elsewhere = frozenset(row.id for row in rows if row.tracked_in != self._area)
        self.reload_index()
        self._writer.forget()

    def reload_switches(self, of: Collection[int]) -> None:
        """Some switches anew where the records left them, by id; the others are left as they are."""
        rows = self._restore(self.tracker, of)
        self.switches = {**self.switches, **{row.id: row.name for row in rows}}
        others = frozenset(row.id for row in rows if row.tracked_in != self._area)
        self.elsewhere = (self.elsewhere - frozenset(of)) | others
        for number in of:
            self._writer.forget(number)

    def reload_inventory(self) -> None:
        """Take up which switches there are, as another service recorded it."""
        before, rows = self.switches, self._database.run(inventory.all_switches)
        self.switches = {row.id: row.name for row in rows}
        for number, name in before.items():
            if number not in self.switches:
                self.tracker.drop(name)
            elif self.switches[number] != name:
                self._rename(name, self.switches[number])
        if new := self.switches.keys() - before.keys():
            self.reload_switches(new)
        self.reload_hold_times()

    def reload_hold_times(self) -> None:
        self.tracker.set_hold_times(self._database.run(groups.hold_times))

    def reload_index(self) -> None:
        self.index = AddressIndex(self._database.run(stay_queries.all_macs))

    def _restore(self, tracker: Tracker, of: Collection[int] | None) -> list[inventory.SwitchRow]:
        switches = {row.id: row for row in self._database.run(inventory.all_switches, of)}
        ports = self._database.run(tracked_state.port_numbers_by_switch, of)
        first = self._database.run(tracked_state.first_readings, of)
        left = dict(switches)
        for switch_id, stays in groupby(self._database.stream(tracked_state.open_stays, of), itemgetter(0)):
            if (row := left.pop(switch_id, None)) is not None:
                names = ports.get(switch_id, {})
                known, first_at = map(itemgetter(1), stays), first.get(switch_id)
                tracker.restore(row.name, row.checkpoint, names, known, row.ageing, first_at)
        for switch_id, row in left.items():
            tracker.restore(row.name, row.checkpoint, ports.get(switch_id, {}), (), row.ageing)
        return list(switches.values())

    # --- as others change it --------------------------------------------------------------

    def name_switch(self, switch_id: int, name: str) -> None:
        """A switch was added, or has another name."""
        before = self.switches.get(switch_id)
        self.switches = {**self.switches, switch_id: name}
        if before is not None and before != name:
            self._rename(before, name)

    def _rename(self, before: str, after: str) -> None:
        self.tracker.rename(before, after)
        for handler in self._on_rename:
            handler(before, after)

    def drop_switch(self, switch_id: int) -> None:
        self.switches = {number: name for number, name in self.switches.items() if number != switch_id}

    def add_addresses(self, changes: Iterable[Change]) -> frozenset[MacAddress]:
        """Know the addresses that appeared. Returns those that had never been seen before."""
        appeared = [change.mac for change in changes if isinstance(change, Appeared)]
        unknown = frozenset(mac for mac in appeared if mac not in self.index)
        self.index.add(appeared)
        return unknown

    def forget_addresses(self, macs: Sequence[MacAddress]) -> None:
        """The records of these were deleted; those of some may have been made again."""
        for some in chunks(macs, _FORGOTTEN_AT_ONCE):
            self.index.remove(set(some) - self._database.run(retention.known_again, some))

    def record_stored(self, event: ReadingStored) -> ReadingStored | None:
        """Have what another one stored here, too. Returns what is new by it, None for a switch that is not
        there under this name. Raises StorageUnavailable."""
        name, at = event.switch, event.summary.taken_at
        if self.switches.get(event.switch_id) != name:
            return None
        known = self.tracker.checkpoint(name).last_at
        changes = event.changes
        if known == event.before:
            names = None if event.ports is None else {port.number: port.name for port in event.ports}
            self.tracker.follow(name, changes, event.checkpoint, names, event.summary.ageing)
        elif known is None or known < at:
            # What came before was not heard here: the records have it.
            before = self.tracker.state(name)
            self.reload_switches((event.switch_id,))
            reported = {(one.mac, one.place) for one in changes if isinstance(one, Appeared | Moved)}
            missed = changes_between(name, before, self.tracker.state(name), at)
            changes += tuple(one for one in missed if (one.mac, one.place) not in reported)
        return replace(event, changes=changes, unknown=self.add_addresses(changes))

    # --- who tracks them ------------------------------------------------------------------

    def assign(self, of: Collection[int], area: str) -> None:
        """From now on the tracker of this area has these switches. Raises StorageUnavailable."""
        self._database.run(tracked_switches.assign_switches, of, area)
        self.elsewhere |= frozenset(of)

    def reclaim(self, of: Collection[int]) -> None:
        """From now on we have these, which a tracker had. Raises StorageUnavailable."""
        self._database.run(tracked_switches.assign_switches, of, "")
        self.reload_switches(of)

    def lose(self, switch_id: int) -> None:
        """A write showed that another one has this switch."""
        self.elsewhere |= {switch_id}

    def check_ours(self, switch_id: int, name: str) -> None:
        """Raises TrackedElsewhere."""
        if switch_id in self.elsewhere:
            raise TrackedElsewhere(
                f"{name} is tracked by the tracker of its area: its readings come from collectors of its site"
            )
