"""What is asked for again after a switch restarted, a link changed, or a table came back empty."""

from datetime import datetime, timedelta

from kiteroll.collect.exchange import ExchangeEnd
from kiteroll.collect.raw import RawSwitch
from kiteroll.collect.snmp_reader import _note_lost
from kiteroll.collect.tables import FURTHER, INTERFACES
from kiteroll.collect.walk_cache import READ_AGAIN_EVERY, WalkCache
from kiteroll.snmp import ber, mib
from tests.support.factories import at

ROW = ber.encode_arcs((0, 7, 1))


def raw(minute: float, *, up_s: float | None = None, changed: int = 1, neighbours: int = 1) -> RawSwitch:
    """A reading of a switch with one port; `up_s`: since its start, by default since long ago."""
    uptime = 1e6 + 60 * minute if up_s is None else up_s
    found = RawSwitch(switch="quay-1", taken_at=at(minute))
    found.scalars = {mib.SYS_UP_TIME: (ber.INTEGER, int(uptime * 100).to_bytes(5, "big"))}
    found.columns = {mib.IF_LAST_CHANGE: {b"\x07": (ber.INTEGER, bytes([changed]))}}
    found.columns |= {
        column: {} for columns in (*FURTHER.values(), *INTERFACES.values()) for column in columns
    }
    found.columns[mib.LLDP_REM_CHASSIS_ID] = {
        ber.encode_arcs((0, 7, row)): (ber.OCTET_STRING, b"quay-2") for row in range(neighbours)
    }
    found.ends = {table: (ExchangeEnd(), 1) for table in FURTHER}
    return found


def read(cache: WalkCache, one: RawSwitch) -> bool:
    """Whether the further tables were asked for."""
    if not cache.reuse_interfaces(one):
        cache.store_interfaces(one, INTERFACES)
    if cache.reuse_further(one):
        return False
    cache.store_further(one, FURTHER)
    return True


def test_what_hardly_changes_is_asked_for_seldom() -> None:
    cache = WalkCache()
    asked = [minute for minute in range(25) if read(cache, raw(minute))]
    assert asked == [0, 1, 11, 21] and timedelta(minutes=10) == READ_AGAIN_EVERY


def test_other_interfaces_are_asked_for_what_they_are() -> None:
    cache = WalkCache()
    read(cache, raw(0))
    known = raw(1)
    assert cache.reuse_interfaces(known) and known.columns[mib.IF_NAME] == {}
    another = raw(2)
    another.columns[mib.IF_OPER_STATUS] = {b"\x08": (ber.INTEGER, b"\x01")}
    assert not cache.reuse_interfaces(another)
    cache.store_interfaces(another, INTERFACES)
    assert not cache.reuse_interfaces(raw(2.5, up_s=10)), "it restarted"


def test_after_a_link_changed_it_is_asked_for_until_neighbours_had_time_to_announce_themselves() -> None:
    cache = WalkCache()
    for minute in range(5):
        read(cache, raw(minute))
    assert [read(cache, raw(minute, changed=2)) for minute in (5, 5.5, 6, 7, 8)] == [
        True,
        True,
        True,
        False,
        False,
    ]


def test_a_person_who_wants_it_read_gets_everything() -> None:
    cache = WalkCache()
    for minute in range(5):
        read(cache, raw(minute))
    cache.request_everything()
    assert read(cache, raw(5))


def test_neighbours_that_are_not_back_yet_after_a_restart_stay_for_a_while() -> None:
    cache = WalkCache()
    for minute in range(5):
        read(cache, raw(minute, neighbours=2))
    seen: list[int] = []
    for seconds in (10, 70, 130):
        one = raw(5 + seconds / 60, up_s=seconds, neighbours=0)
        read(cache, one)
        seen.append(len(one.column(mib.LLDP_REM_CHASSIS_ID)))
    assert seen == [2, 2, 0]


def test_neighbours_that_are_all_left_out_at_once_stay_for_two_readings() -> None:
    """As when the part of an agent that reports them is slow; after that there are none."""
    cache = WalkCache()
    for minute in range(12):
        read(cache, raw(minute, neighbours=2))
    seen: list[int] = []
    for minute in range(21, 27):
        one = raw(minute, neighbours=0)
        read(cache, one)
        seen.append(len(one.column(mib.LLDP_REM_CHASSIS_ID)))
    assert seen == [2, 2, 0, 0, 0, 0]
    assert read(cache, raw(27, neighbours=1)), "they are asked for until they are back"


def _lost(cache: WalkCache, *, rows: int) -> bool:
    one = RawSwitch(switch="quay-1", taken_at=datetime(2026, 5, 4))  # noqa: DTZ001  # nobody asks for it
    one.columns = {mib.DOT1Q_TP_FDB_PORT: dict.fromkeys([ROW][:rows], (ber.INTEGER, b"\x01"))}
    one.columns[mib.DOT1D_TP_FDB_PORT] = {ROW: (ber.INTEGER, b"\x01")}
    one.ends["dot1qTpFdbTable"] = (ExchangeEnd(), rows)
    _note_lost(one, "dot1qTpFdbTable", mib.DOT1Q_TP_FDB_PORT, cache)
    assert bool(one.column(mib.DOT1D_TP_FDB_PORT)) is not one.broke("dot1qTpFdbTable")
    return one.broke("dot1qTpFdbTable")


def test_a_table_that_had_rows_and_comes_back_empty_is_a_gap_until_it_stays_so() -> None:
    cache = WalkCache()
    assert not _lost(cache, rows=0), "a switch that has no such table"
    assert not _lost(cache, rows=1)
    assert [_lost(cache, rows=0) for _ in range(4)] == [True, True, False, False]
