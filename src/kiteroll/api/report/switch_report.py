"""A switch on paper: every port with who is there, as one HTML page that prints well."""

from collections import defaultdict
from collections.abc import Sequence
from datetime import datetime
from html import escape

from kiteroll.api.report.page import page, time_text
from kiteroll.core.model.ranges import ranges
from kiteroll.schemas import api
from kiteroll.wording.spans import speed_text


def switch_report(
    one: api.Switch,
    ports: Sequence[api.Port],
    stays: Sequence[api.Stay],
    endpoints: Sequence[api.Endpoint],
    neighbours: Sequence[api.Neighbour],
    findings: Sequence[api.Finding],
    now: datetime,
) -> str:
    """`stays`: those at access ports."""
    about = {each.mac: each for each in endpoints}
    there: dict[str, list[api.Stay]] = defaultdict(list)
    for stay in stays:
        there[stay.port].append(stay)
    neighbour_at = {each.port: each for each in neighbours}
    facts = (
        ("address", f"{one.host}:{one.port}" if one.source == "snmp" else one.source),
        ("location", one.location),
        ("model", " ".join(filter(None, (one.model, one.software)))),
        ("serial number", one.serial),
        ("bridge address", one.bridge_address or ""),
        ("last complete reading", time_text(one.read_at)),
        ("health", one.health),
        ("ageing time", "" if one.ageing_s is None else f"{one.ageing_s} s"),
        ("addresses present", f"{one.present}" + (f" of {one.table_size}" if one.table_size else "")),
    )
    parts = [
        f"<h1>{escape(one.name)}</h1>",
        f'<p class="soft">Report of {time_text(now)}, times in UTC</p>',
        *(f"<p>{escape(name)}: <b>{escape(value)}</b></p>" for name, value in facts if value),
        *(f"<p>Note: {escape(text)}.</p>" for text in one.warnings),
        "<h2>Ports</h2>",
        "<table><thead><tr><th>Port</th><th>Label</th><th>State</th><th>Speed</th><th>VLANs</th>"
        "<th>Address</th><th>IP and name</th><th>Maker</th><th>Since</th><th>Neighbour, role</th></tr>"
        "</thead>"
        "<tbody>",
        *(
            _port(port, there[port.name], about, neighbour_at.get(port.name))
            for port in ports
            if port.bridged
        ),
        "</tbody></table>",
    ]
    if findings:
        rows = "".join(
            f"<tr><td>{escape(each.severity)}</td><td>{escape(each.title)}</td><td>{escape(each.cause)}</td>"
            f"<td>{time_text(each.last_at)}</td></tr>"
            for each in findings
        )
        parts.append(f"<h2>Findings</h2><table><tbody>{rows}</tbody></table>")
    return page(one.name, parts)


def _port(
    port: api.Port,
    stays: Sequence[api.Stay],
    about: dict[str, api.Endpoint],
    neighbour: api.Neighbour | None,
) -> str:
    state = port.oper if port.admin_up else "switched off"
    far = f"{neighbour.name or neighbour.chassis} {neighbour.far_port}" if neighbour else ""
    role = f"uplink to {port.leads_to[0]}" if port.role == "uplink" and port.leads_to else port.role
    people = [_person(stay, about.get(stay.mac)) for stay in stays] or ["<td></td>" * 4]
    span = f' rowspan="{len(people)}"' if len(people) > 1 else ""
    head = "".join(
        f"<td{span}>{escape(text)}</td>"
        for text in (port.name, port.alias, state, speed_text(port.speed_bps), _vlans(port))
    )
    tail = f"<td{span}>{escape(', '.join(filter(None, (far, role))))}</td>"
    rows = [f"<tr>{head}{people[0]}{tail}</tr>", *(f"<tr>{cells}</tr>" for cells in people[1:])]
    return "".join(rows)


def _person(stay: api.Stay, one: api.Endpoint | None) -> str:
    names = [
        *(one.ips if one else ()),
        *(one.host_names if one else ()),
        *filter(None, (one.label if one else "",)),
    ]
    return (
        f'<td class="mono">{stay.mac}{"" if stay.life == "present" else " (quiet)"}</td>'
        f"<td>{escape(', '.join(names))}</td><td>{escape(one.maker if one else '')}</td>"
        f"<td>{time_text(stay.began_at)}</td>"
    )


def _vlans(port: api.Port) -> str:
    parts = []
    if port.untagged or port.default_vlan:
        parts.append(f"untagged {', '.join(ranges(port.untagged or [port.default_vlan or 0]))}")
    if port.tagged:
        parts.append(f"tagged {', '.join(ranges(port.tagged))}")
    return "; ".join(parts)
