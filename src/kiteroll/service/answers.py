"""From records to answers: rows of the store as models of the API."""

from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict
from datetime import datetime, timedelta
from typing import Any

from kiteroll.collect.rounds import Attempt
from kiteroll.core.compare import Compared
from kiteroll.core.findings.model import State, Thresholds
from kiteroll.core.home import Hop, Sighting, choose_home, order, sighting
from kiteroll.core.mac import MacAddress
from kiteroll.core.makers import Assigned
from kiteroll.core.reading import Reading
from kiteroll.core.topology import Ground, Topology
from kiteroll.core.uptime import uptime
from kiteroll.core.watch import Watched, warnings
from kiteroll.schemas import api
from kiteroll.service.topology import Layout
from kiteroll.store import gathered, inventory
from kiteroll.store.asked_rounds import RoundRow
from kiteroll.store.credentials import CredentialRow
from kiteroll.store.database import Database
from kiteroll.store.findings import Explained
from kiteroll.store.inventory import SwitchRow
from kiteroll.store.names import IpStay
from kiteroll.store.neighbours import NeighbourRow
from kiteroll.store.overview import ChangeRow, PortRow, ReadingRow
from kiteroll.store.places import PlacedStay


def watched(row: SwitchRow, present: int) -> Watched:
    """The facts a switch is judged by. `present`: addresses on it now."""
    return Watched(
        name=row.name,
        interval=timedelta(seconds=row.interval_s),
        ageing=None if row.ageing_s is None else timedelta(seconds=row.ageing_s),
        enabled=row.enabled,
        read_at=row.last_complete_at,
        bridge_address=row.bridge_address,
        learning_discards=row.learning_discards,
        discards_rose_at=row.discards_rose_at,
        table_size=row.table_size,
        table_used=present,
        drift=None if row.clock_drift_s is None else timedelta(seconds=row.clock_drift_s),
    )


class SwitchView:
    """Switches as answers, with what is odd about each."""

    def __init__(self, database: Database, now: datetime) -> None:
        self._now = now
        self._twins: dict[MacAddress, list[str]] = defaultdict(list)
        for name, address in database.run(inventory.bridge_addresses):
            self._twins[address].append(name)

    def answer(self, row: SwitchRow, present: int = 0) -> api.Switch:
        facts = watched(row, present)
        answer = switch_answer(row, present, warnings(facts, self._twins, self._now))
        if row.health in ("read", "partial") and facts.late(self._now):
            answer = answer.model_copy(update={"health": "late", "health_since": facts.late_since})
        return answer


def round_answer(row: RoundRow, tried: Mapping[str, str]) -> api.Round:
    """`tried`: health by name of the switches that were tried since it began."""
    well = [name for name, health in tried.items() if health == "read"]
    return api.Round(
        id=row.id,
        state=row.state,  # type: ignore[arg-type]  # written by the service's rounds
        began_at=row.began_at,
        ended_at=row.ended_at,
        wanted=len(row.wanted),
        tried=len(tried),
        well=len(well),
        left=[name for name in row.wanted if name not in tried],
        failed=sorted(tried.keys() - set(well)),
    )


def switch_answer(row: SwitchRow, present: int, odd: list[str]) -> api.Switch:
    up_since = None
    if row.uptime_at is not None and row.uptime_ticks is not None:
        up_since = row.uptime_at - uptime(row.uptime_ticks)
    return api.Switch(
        name=row.name,
        source=row.source,  # type: ignore[arg-type]  # written from the same words
        host=row.host,
        port=row.udp_port,
        site=row.site,
        groups=row.in_groups,
        notes=row.notes,
        credential=row.credential_name,
        asked_as=row.asked_as,
        interval_s=row.interval_s,
        timeout_s=row.timeout_s,
        tries=row.tries,
        hold_s=row.hold_s,
        enabled=row.enabled,
        health=row.health,  # type: ignore[arg-type]  # likewise
        health_since=row.health_since,
        tried_at=row.tried_at,
        read_at=row.last_complete_at,
        next_try_at=row.next_try_at,
        error=row.error,
        warnings=odd,
        present=present,
        sys_name=row.sys_name,
        description=row.description,
        location=row.location,
        contact=row.contact,
        bridge_address=row.bridge_address,  # type: ignore[arg-type]  # the model turns it into text
        ageing_s=row.ageing_s,
        model=row.model,
        serial=row.serial,
        software=row.software,
        topology_changes=row.topology_changes,
        topology_changed_at=row.topology_changed_at,
        learning_discards=row.learning_discards,
        table_size=row.table_size,
        up_since=up_since,
    )


def port_answer(row: PortRow, layout: Layout) -> api.Port:
    role = layout.topology.role((row.switch_name, row.name))
    return api.Port(
        switch=row.switch_name,
        name=row.name,
        number=row.number,
        alias=row.alias,
        admin_up=row.admin_up,
        oper=row.oper,  # type: ignore[arg-type]  # written from Oper
        oper_since=row.oper_since,
        speed_bps=row.speed_bps,
        bridged=row.bridged,
        duplex=row.duplex,
        aggregate=row.aggregate,
        default_vlan=row.default_vlan,
        tagged=row.tagged,
        untagged=row.untagged,
        spanning_tree=row.spanning_tree,
        present=row.present,
        quiet=row.quiet,
        leads_to=list(role.leads_to),
        role=role.role.value,
        role_by_hand=role.ground is Ground.BY_HAND,
        role_why=role.why,
        beyond=role.beyond,
    )


def neighbour_answer(row: NeighbourRow) -> api.Neighbour:
    return api.Neighbour(
        switch=row.switch_name,
        port=row.port_name,
        name=row.name,
        far_port=row.far_port,
        far_description=row.far_description,
        chassis=row.chassis,
        description=row.description,
        addresses=row.addresses,
        capabilities=row.capabilities,
        seen_at=row.seen_at,
        known_as=row.known_as,
    )


def credential_answer(row: CredentialRow) -> api.NamedCredential:
    return api.NamedCredential(name=row.name, kind=row.kind, used_by=row.used_by, added_at=row.added_at)


def place_answer(row: PlacedStay, layout: Layout) -> api.Place:
    return api.Place(**_place_fields(row, layout.topology))  # type: ignore[arg-type]  # checked by the model


def stay_answer(row: PlacedStay, layout: Layout) -> api.Stay:
    return api.Stay(mac=row.stay.mac, **_place_fields(row, layout.topology))  # type: ignore[arg-type]


def endpoint_answers(
    database: Database,
    macs: Sequence[MacAddress],
    layout: Layout,
    told: Callable[[MacAddress], tuple[str, Assigned]],
) -> list[api.Endpoint]:
    """The known ones among `macs`, in their order. `told`: maker and origin of an address."""
    kept = database.run(gathered.kept_endpoints, macs)
    return [
        endpoint_answer(
            mac,
            one.stays,
            layout,
            {**one.about, "ips": list(one.ips), "names": list(one.names)},
            told(mac),
        )
        for mac, one in kept.items()
    ]


def endpoint_answer(
    mac: MacAddress,
    rows: Sequence[PlacedStay],
    layout: Layout,
    further: Mapping[str, Any],
    told: tuple[str, Assigned],
) -> api.Endpoint:
    """`further`: what is kept of it besides its stays; `told`: maker and origin."""
    by_id = {row.stay.id: row for row in rows}
    sightings = [sighting_of(row, layout) for row in rows]
    home = choose_home(sightings)
    return api.Endpoint(
        mac=mac,  # type: ignore[arg-type]  # the model turns it into text
        **further,
        maker=told[0],
        assigned=told[1].value,
        home=None if home.at is None else place_answer(by_id[home.at.stay.id], layout),
        why=home.why,
        confidence=home.confidence.value,
        reasons=list(home.reasons),
        places=[place_answer(by_id[one.stay.id], layout) for one in order(sightings)],
    )


def hop_answers(hops: Sequence[Hop]) -> list[api.Hop]:
    return [api.Hop.model_validate(asdict(hop)) for hop in hops]


def sighting_of(row: PlacedStay, layout: Layout) -> Sighting:
    place = row.stay.place
    return sighting(
        row.stay,
        layout.topology,
        crowd=layout.crowd((place.switch, place.port)),
        read_at=row.read_at,
        ageing=row.ageing,
    )


def finding_answer(explained: Explained, limits: Thresholds) -> api.Finding:
    one = explained.row.finding
    live = one.state is not State.CLEARED
    return api.Finding(
        id=explained.row.id,
        kind=one.kind.value,
        severity=one.severity.value,
        state=one.state.value,
        title=one.title,
        cause=one.cause,
        mac=one.subject.mac,  # type: ignore[arg-type]  # the model turns it into text
        switch=one.subject.switch or None,
        port=one.subject.port or None,
        ip=one.subject.ip or None,
        places=[api.FindingPlace(switch=switch, port=port) for switch, port in sorted(one.places)],
        evidence=[api.Evidence(at=each.at, text=each.text) for each in one.evidence],
        count=one.count,
        opened=one.opened,
        first_at=one.first_at,
        opened_at=one.opened_at,
        last_at=one.last_at,
        clears_at=one.last_at + limits.quiet_time(one.kind) if live else None,
        cleared_at=one.cleared_at,
        cleared_by=one.cleared_by,
        acknowledged_by=one.acknowledged_by,
        note=one.note,
        acknowledged_until=one.acknowledged_until,
        parts=explained.parts,
        part_of=None if explained.by is None else explained.by.id,
    )


def compared_answer(one: Compared) -> api.Compared:
    return api.Compared(
        mac=one.mac,  # type: ignore[arg-type]  # the model turns it into text
        difference=one.difference.value,
        at=one.at,
        before=[str(place) for place in one.before],
        after=[str(place) for place in one.after],
    )


def ip_answer(row: IpStay) -> api.IpStay:
    return api.IpStay(
        ip=row.ip, source=row.source, began_at=row.began_at, ended_at=row.ended_at, names=list(row.names)
    )


def change_answer(row: ChangeRow) -> api.Change:
    return api.Change(
        id=row.id,
        at=row.at,
        kind=row.kind,  # type: ignore[arg-type]  # written from ChangeKind
        switch=row.switch_name,
        mac=row.mac,  # type: ignore[arg-type]  # the model turns it into text
        vlan=row.vlan,
        port=row.port_name,
        from_port=row.origin_port_name,
        why=row.why,
    )


def reading_answer(row: ReadingRow) -> api.ReadingSummary:
    return api.ReadingSummary(
        switch=row.switch_name,
        taken_at=row.taken_at,
        duration_ms=row.duration_ms,
        outcome=row.outcome,  # type: ignore[arg-type]  # written by the recorder
        rows=row.row_count,
        changes=row.change_count,
        gaps=[api.Gap.model_validate(gap) for gap in row.gaps],
        error=row.error,
    )


def attempt_answer(attempt: Attempt) -> api.ReadingSummary:
    outcome = attempt.outcome
    taken_at, duration_ms = attempt.started_at, round(attempt.duration.total_seconds() * 1000)
    if not isinstance(outcome, Reading):
        return api.ReadingSummary(
            switch=attempt.name,
            taken_at=taken_at,
            duration_ms=duration_ms,
            outcome="failed",
            rows=0,
            changes=attempt.changes,
            gaps=[],
            error=str(outcome),
        )
    return api.ReadingSummary(
        switch=attempt.name,
        taken_at=taken_at,
        duration_ms=duration_ms,
        outcome="complete" if outcome.complete else "partial",
        rows=len(outcome.learned) + len(outcome.others),
        changes=attempt.changes,
        gaps=[
            api.Gap(table=gap.table, why=gap.why, rows=gap.rows, breaks=gap.breaks) for gap in outcome.gaps
        ],
        error=None,
    )


def _place_fields(row: PlacedStay, topology: Topology) -> dict[str, object]:
    stay = row.stay
    role = topology.role((stay.place.switch, stay.place.port))
    return {
        "switch": stay.place.switch,
        "port": stay.place.port,
        "port_alias": row.port_alias,
        "vlan": stay.place.vlan,
        "vlan_name": row.vlan_name,
        "life": row.life.value,
        "began_at": stay.began_at,
        "seen_at": row.seen_at,
        "quiet_at": stay.quiet_at,
        "ended_at": stay.ended_at,
        "ending": None if stay.ending is None else stay.ending.value,
        "read_at": row.read_at,
        "role": role.role.value,
        "leads_to": list(role.leads_to),
    }
