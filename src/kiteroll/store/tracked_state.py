"""What a tracker takes up again where the records left it: open stays, ports, when it all began.

Every query is of all switches, or of those whose ids are given as `of`.
"""

from collections import defaultdict
from collections.abc import Collection, Iterator
from datetime import datetime

from sqlalchemy import (
    BigInteger,
    ColumnElement,
    Connection,
    case,
    func,
    or_,
    select,
    text,
    true,
    type_coerce,
)

from kiteroll.core.model.reading import key_of
from kiteroll.core.tracking.switch_state import RECENT, OpenStay
from kiteroll.store.predicates import one_of
from kiteroll.store.tables import port, reading, stay, switch

Ids = Collection[int] | None


def next_stay_id(connection: Connection, stays: range) -> int:
    """The first number of `stays` behind those that were given."""
    given = select(func.max(stay.c.id)).where(stay.c.id >= stays.start, stay.c.id < stays.stop)
    return int(connection.execute(given).scalar() or stays.start - 1) + 1


def port_numbers_by_switch(connection: Connection, of: Ids = None) -> dict[int, dict[int, str]]:
    """Port number to name, of the ports each switch has now, by its id."""
    found: dict[int, dict[int, str]] = defaultdict(dict)
    for switch_id, number, name in connection.execute(
        select(port.c.switch_id, port.c.number, port.c.name).where(port.c.there, _are(port.c.switch_id, of))
    ):
        found[switch_id][number] = name
    return found


def first_readings(connection: Connection, of: Ids = None) -> dict[int, datetime]:
    """When the first reading of each switch was taken that is kept, by its id."""
    first = (
        select(reading.c.taken_at)
        .where(reading.c.switch_id == switch.c.id, reading.c.outcome != "failed")
        .order_by(reading.c.taken_at)
        .limit(1)
        .scalar_subquery()
    )
    rows = select(switch.c.id, first).where(switch.c.removed_at.is_(None), _are(switch.c.id, of))
    return {number: at for number, at in connection.execute(rows) if at}


def open_stays(connection: Connection, of: Ids = None) -> Iterator[tuple[int, OpenStay]]:
    """Every open stay with the switch's id, switch by switch.

    Plain numbers, and instants only where the tracker needs them: half a million rows are read at a
    start, and turning three times of each into objects would take most of it.
    """
    lately = or_(
        switch.c.last_complete_at.is_(None),
        stay.c.resumed_at > switch.c.last_complete_at,
        stay.c.resumed_at >= switch.c.last_at - text(f"INTERVAL {round(RECENT.total_seconds())} SECOND"),
    )
    rows = connection.execute(
        select(
            stay.c.switch_id,
            type_coerce(stay.c.mac, BigInteger),
            stay.c.vlan,
            stay.c.id,
            port.c.name,
            case((lately, stay.c.resumed_at)),
            stay.c.last_seen_at,
            stay.c.quiet_at,
        )
        .join(port, port.c.id == stay.c.port_id)
        .join(switch, switch.c.id == stay.c.switch_id)
        .where(stay.c.ended_at.is_(None), _are(stay.c.switch_id, of))
        .order_by(stay.c.switch_id)
        # With statistics from before the table was filled, the server begins elsewhere and takes minutes.
        .prefix_with("STRAIGHT_JOIN")
    )
    for switch_id, mac, vlan, stay_id, port_name, learned_at, last_seen_at, quiet_at in rows:
        yield switch_id, OpenStay(key_of(mac, vlan), stay_id, port_name, learned_at, last_seen_at, quiet_at)


def _are(column: ColumnElement[int], of: Ids) -> ColumnElement[bool]:
    return true() if of is None else one_of(column, of)
