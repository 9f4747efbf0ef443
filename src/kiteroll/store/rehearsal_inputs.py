"""The recorded past as a rehearsal goes through it: who was present where, and when ports were uplinks."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import BigInteger, Connection, Select, and_, func, or_, select, text, type_coerce

from kiteroll.core.rehearsal.port_breaches import Present
from kiteroll.core.rehearsal.rehearsal import SwitchPast
from kiteroll.core.rehearsal.spans import micros
from kiteroll.core.topology.sighting import judged_ageing
from kiteroll.store.enrolment import present_spans
from kiteroll.store.past_roles import recorded_since
from kiteroll.store.tables import port, port_uplink, reading, stay, switch


def switches_with_past(
    connection: Connection, site: str | None, only: str | None, group: str | None
) -> list[tuple[int, str]]:
    """Id and name of the switches of the inventory that are to be rehearsed, by name."""
    query = select(switch.c.id, switch.c.name, switch.c.in_groups).where(switch.c.removed_at.is_(None))
    if site is not None:
        query = query.where(switch.c.site == site)
    if only is not None:
        query = query.where(switch.c.name == only)
    rows = connection.execute(query.order_by(switch.c.name))
    return [(number, name) for number, name, groups in rows if group is None or group in groups]


def pasts_of(
    connection: Connection, switch_ids: Sequence[int], since: datetime, until: datetime
) -> list[SwitchPast]:
    """Of some switches, cut to the time that is rehearsed. A few at once: each question has its cost."""
    ports = {
        number: (switch_id, name)
        for number, switch_id, name in connection.execute(
            select(port.c.id, port.c.switch_id, port.c.name).where(port.c.switch_id.in_(switch_ids))
        )
    }
    present = _present(connection, switch_ids, ports, since, until)
    uplinks = _uplinks(connection, switch_ids, ports, since, until)
    first_readings = dict(
        connection.execute(
            select(reading.c.switch_id, func.min(reading.c.taken_at))
            .where(reading.c.switch_id.in_(switch_ids))
            .group_by(reading.c.switch_id)
        )
        .tuples()
        .all()
    )
    uplinks_since = recorded_since(connection)
    about = select(switch.c.id, switch.c.name, switch.c.ageing_s, switch.c.added_at)
    return [
        SwitchPast(
            switch=name,
            present=present[switch_id],
            uplinks=uplinks[switch_id],
            known_since=first_readings.get(switch_id) or added_at,
            uplinks_since=uplinks_since,
            ageing=judged_ageing(None if ageing_s is None else timedelta(seconds=ageing_s)),
        )
        for switch_id, name, ageing_s, added_at in connection.execute(
            about.where(switch.c.id.in_(switch_ids)).order_by(switch.c.name)
        )
    ]


_Ports = Mapping[int, tuple[int, str]]
"""By id of a port: that of its switch, and its name."""


def _present(
    connection: Connection, switch_ids: Sequence[int], ports: _Ports, since: datetime, until: datetime
) -> dict[int, dict[str, list[Present]]]:
    """By id of the switch and name of the port."""
    by_port: dict[int, list[Present]] = defaultdict(list)
    first, last = micros(since), micros(until)
    interrupted = False
    result = connection.execute(_stays(switch_ids, since, until))
    # Plain tuples of the driver: the library's rows would take as long as all the rest.
    for port_id, mac, vlan, began, left, returned in result.cursor.fetchall() if result.cursor else ():
        if returned:
            interrupted = True
            continue
        ended = last if left is None or left > last else left
        if began < first:
            began = first
        if began < ended:
            by_port[port_id].append((mac, vlan or None, began, ended))
    if interrupted:
        those = and_(stay.c.switch_id.in_(switch_ids), stay.c.resumed_at != stay.c.began_at)
        for one in present_spans(connection, since, until, those):
            span = (max(one.began_at, since), until if one.ended_at is None else min(one.ended_at, until))
            if span[0] < span[1]:
                by_port[one.port_id].append((one.mac, one.vlan, micros(span[0]), micros(span[1])))
    found: dict[int, dict[str, list[Present]]] = defaultdict(dict)
    for port_id, present in by_port.items():
        switch_id, name = ports[port_id]
        found[switch_id][name] = present
    return found


def _uplinks(
    connection: Connection, switch_ids: Sequence[int], ports: _Ports, since: datetime, until: datetime
) -> dict[int, dict[str, list[tuple[datetime, datetime | None]]]]:
    """By id of the switch and name of the port: when it was an uplink."""
    query = (
        select(port_uplink.c.port_id, port_uplink.c.began_at, port_uplink.c.ended_at)
        .join(port, port.c.id == port_uplink.c.port_id)
        .where(
            port.c.switch_id.in_(switch_ids),
            port_uplink.c.began_at < until,
            or_(port_uplink.c.ended_at.is_(None), port_uplink.c.ended_at > since),
        )
        .order_by(port_uplink.c.began_at)
    )
    found: dict[int, dict[str, list[tuple[datetime, datetime | None]]]] = defaultdict(dict)
    for port_id, began_at, ended_at in connection.execute(query):
        switch_id, name = ports[port_id]
        found[switch_id].setdefault(name, []).append((began_at, ended_at))
    return found


def _stays(switch_ids: Sequence[int], since: datetime, until: datetime) -> Select[Any]:
    """Stays as numbers, with whether each was ever interrupted: few of a million were."""
    return select(
        stay.c.port_id,
        type_coerce(stay.c.mac, BigInteger),
        stay.c.vlan,
        _micros(stay.c.began_at),
        _micros(func.coalesce(stay.c.quiet_at, stay.c.ended_at)),
        stay.c.resumed_at != stay.c.began_at,
    ).where(
        stay.c.switch_id.in_(switch_ids),
        stay.c.began_at < until,
        or_(stay.c.ended_at.is_(None), stay.c.ended_at > since),
    )


def _micros(column: Any) -> Any:
    """An instant in microseconds since 1970: sessions speak UTC."""
    return func.timestampdiff(text("MICROSECOND"), text("'1970-01-01'"), column, type_=BigInteger)
