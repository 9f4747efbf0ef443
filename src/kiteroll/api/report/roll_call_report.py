"""The roll call on paper: every port with a rule, and who is there, as one HTML page that prints well."""

from collections.abc import Sequence
from datetime import datetime
from html import escape

from kiteroll.api.report.page import page, time_text
from kiteroll.core.model.ranges import ranges
from kiteroll.core.policy.occupancy import Occupant
from kiteroll.core.policy.port_rules import RollStatus
from kiteroll.schemas import api


def roll_call_report(
    level: str,
    totals: api.RollCallTotals,
    ports: Sequence[tuple[api.RollCallPort, Sequence[Occupant]]],
    absent: Sequence[api.AbsentEntry],
    now: datetime,
    *,
    cut: bool,
) -> str:
    """`cut`: not all ports are in it."""
    parts = [
        f"<h1>Roll call: {escape(level)}</h1>",
        f'<p class="soft">{time_text(now)}, times in UTC</p>',
        f"<p>{totals.ports} ports with a rule: <b>{totals.broken} broken</b>, {totals.overfull} overfull. "
        f"{totals.present} devices present: {totals.enrolled} enrolled, {totals.strangers} strangers, "
        f"{totals.out_of_place} out of place, {totals.barred} barred. {len(absent)} enrolled are absent.</p>",
    ]
    if totals.not_read:
        parts.append(
            f"<p><b>{totals.not_read} of the ports are of switches that are not read in time</b>: who is "
            "there now is not known, what follows is of their latest readings.</p>"
        )
    if cut:
        parts.append(f"<p>The first {len(ports)} ports; the sums are of all.</p>")
    parts.append(
        "<table><thead><tr><th>Switch</th><th>Port</th><th>Label</th><th>Seats</th><th>Room</th><th>VLANs</th>"
        "<th>Watched</th><th>Address</th><th>VLAN</th><th>Status</th></tr></thead><tbody>"
    )
    parts += [_port(port, occupants) for port, occupants in ports]
    parts.append("</tbody></table>")
    if absent:
        rows = "".join(
            f'<tr><td class="mono">{one.address}</td><td>{escape(one.level)}</td><td>{escape(one.note)}</td>'
            f"<td>{escape(one.owner)}</td><td>{time_text(one.seen_at)}</td><td>{escape(_seen(one))}</td></tr>"
            for one in absent
        )
        parts.append(
            "<h2>Enrolled and absent</h2><table><thead><tr><th>Address</th><th>Enrolled at</th><th>Note</th>"
            f"<th>Owner</th><th>Last seen</th><th>Where</th></tr></thead><tbody>{rows}</tbody></table>"
        )
    return page("Roll call", parts)


def _port(port: api.RollCallPort, occupants: Sequence[Occupant]) -> str:
    state = "uplink, exempt" if port.exempt else ("yes" if port.watched else "no")
    switch = escape(port.switch)
    if port.not_read:
        switch += (
            f" <b>not read since {time_text(port.read_at)}</b>" if port.read_at else " <b>never read</b>"
        )
    rows = [_occupant(one) for one in occupants] or ["<td></td><td></td><td></td>"]
    seats = "" if port.seats is None else str(port.seats)
    over = " <b>overfull</b>" if port.overfull else ""
    span = f' rowspan="{len(rows)}"' if len(rows) > 1 else ""
    cells = (
        switch,
        escape(port.port),
        escape(port.alias),
        f"{port.present}/{seats}{over}" if seats else str(port.present),
        "" if port.room is None else str(port.room),
        ", ".join(ranges(port.vlans)) if port.vlans is not None else "",
        state,
    )
    head = "".join(f"<td{span}>{cell}</td>" for cell in cells)
    return f"<tr>{head}{rows[0]}</tr>" + "".join(f"<tr>{row}</tr>" for row in rows[1:])


def _occupant(one: Occupant) -> str:
    status = one.status.value + (", VLAN not expected" if one.unexpected_vlan else "")
    plain = one.status in (RollStatus.ENROLLED, RollStatus.NOT_ENROLLED) and not one.unexpected_vlan
    shown = status if plain else f"<b>{status}</b>"
    return f'<td class="mono">{one.mac}</td><td>{one.vlan or ""}</td><td>{shown}</td>'


def _seen(one: api.AbsentEntry) -> str:
    where = f"{one.seen_switch} port {one.seen_port}" if one.seen_switch else "nowhere"
    return f"{where}; a switch where it may be is not read in time" if one.not_read else where
