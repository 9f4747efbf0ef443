"""From records to answers: rows of the store as models of the API."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta

from kiteroll.clock import Clock
from kiteroll.collect.rounds import Attempt
from kiteroll.core.home import Sighting, choose_home, order
from kiteroll.core.mac import MacAddress
from kiteroll.core.reading import Reading
from kiteroll.core.uptime import uptime
from kiteroll.core.watch import Watched, warnings
from kiteroll.schemas import api
from kiteroll.store import addresses, inventory, places
from kiteroll.store.credentials import CredentialRow
from kiteroll.store.database import Database
from kiteroll.store.inventory import SwitchRow
from kiteroll.store.neighbours import NeighbourRow
from kiteroll.store.overview import ChangeRow, PortRow, ReadingRow
from kiteroll.store.places import PlacedStay
from kiteroll.store.uplinks import Uplink
from kiteroll.store.uplinks import uplinks as known_uplinks

Uplinks = Mapping[tuple[str, str], Uplink]


class UplinkView:
    """Ports that lead to other switches, looked up at most every few seconds."""

    _FRESH = timedelta(seconds=3)

    def __init__(self, database: Database, clock: Clock) -> None:
        self._database = database
        self._clock = clock
        self._seen: tuple[datetime, Uplinks] | None = None

    def get(self) -> Uplinks:
        now = self._clock.now()
        seen = self._seen
        if seen is None or now - seen[0] > self._FRESH:
            seen = self._seen = (now, self._database.run(known_uplinks))
        return seen[1]

    def port_ids(self) -> frozenset[int]:
        return frozenset(uplink.port_id for uplink in self.get().values())


class SwitchView:
    """Switches as answers, with what is odd about each."""

    def __init__(self, database: Database, now: datetime) -> None:
        self._now = now
        self._twins: dict[MacAddress, list[str]] = defaultdict(list)
        for name, address in database.run(inventory.bridge_addresses):
            self._twins[address].append(name)

    def answer(self, row: SwitchRow, present: int = 0) -> api.Switch:
        ageing = None if row.ageing_s is None else timedelta(seconds=row.ageing_s)
        watched = Watched(
            name=row.name,
            interval=timedelta(seconds=row.interval_s),
            ageing=ageing,
            enabled=row.enabled,
            read_at=row.last_complete_at,
            bridge_address=row.bridge_address,
            learning_discards=row.learning_discards,
        )
        return switch_answer(row, present, warnings(watched, self._twins, self._now))


def switch_answer(row: SwitchRow, present: int, odd: list[str]) -> api.Switch:
    up_since = None
    if row.uptime_at is not None and row.uptime_ticks is not None:
        up_since = row.uptime_at - uptime(row.uptime_ticks)
    return api.Switch(
        name=row.name,
        host=row.host,
        port=row.udp_port,
        site=row.site,
        groups=row.in_groups,
        notes=row.notes,
        credential=row.credential_name,
        asked_as=row.asked_as,
        interval_s=row.interval_s,
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
        up_since=up_since,
    )


def port_answer(row: PortRow, uplinks: Uplinks) -> api.Port:
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
        leads_to=list(_behind(row.switch_name, row.name, uplinks)),
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


def place_answer(row: PlacedStay, uplinks: Uplinks) -> api.Place:
    return api.Place(**_place_fields(row, uplinks))  # type: ignore[arg-type]  # checked by the model


def stay_answer(row: PlacedStay, uplinks: Uplinks) -> api.Stay:
    return api.Stay(mac=row.stay.mac, **_place_fields(row, uplinks))  # type: ignore[arg-type]


def endpoint_answers(
    database: Database,
    macs: Sequence[MacAddress],
    first_seen: Mapping[MacAddress, datetime],
    uplinks: Uplinks,
) -> list[api.Endpoint]:
    """The known ones among `macs`, in their order."""
    known = [mac for mac in macs if mac in first_seen]
    stays = database.run(places.places_of, known)
    ips = database.run(addresses.ips_of, known)
    return [_endpoint(mac, first_seen[mac], stays[mac], ips.get(mac, []), uplinks) for mac in known]


def _endpoint(
    mac: MacAddress,
    first_seen_at: datetime,
    rows: Sequence[PlacedStay],
    ips: list[str],
    uplinks: Uplinks,
) -> api.Endpoint:
    by_id = {row.stay.id: row for row in rows}
    sightings = [
        Sighting(row.stay, _behind(row.stay.place.switch, row.stay.place.port, uplinks)) for row in rows
    ]
    home = choose_home(sightings)
    return api.Endpoint(
        mac=mac,  # type: ignore[arg-type]  # the model turns it into text
        local=mac.is_local,
        ips=ips,
        first_seen_at=first_seen_at,
        home=None if home.at is None else place_answer(by_id[home.at.stay.id], uplinks),
        why=home.why,
        places=[place_answer(by_id[one.stay.id], uplinks) for one in order(sightings)],
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


def _place_fields(row: PlacedStay, uplinks: Uplinks) -> dict[str, object]:
    stay = row.stay
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
        "leads_to": list(_behind(stay.place.switch, stay.place.port, uplinks)),
    }


def _behind(switch: str, port: str, uplinks: Uplinks) -> tuple[str, ...]:
    found = uplinks.get((switch, port))
    return found.behind if found else ()
