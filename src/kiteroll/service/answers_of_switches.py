"""From records to answers: switches, their ports and neighbours, rounds."""

from collections import defaultdict
from collections.abc import Mapping
from datetime import datetime, timedelta

from kiteroll.core.mac import MacAddress
from kiteroll.core.topology import Ground
from kiteroll.core.uptime import uptime
from kiteroll.core.watch import Watched, warnings
from kiteroll.schemas import api
from kiteroll.service.topology import Layout
from kiteroll.store import inventory
from kiteroll.store.asked_rounds import RoundRow
from kiteroll.store.credentials import CredentialRow
from kiteroll.store.database import Database
from kiteroll.store.inventory import SwitchRow
from kiteroll.store.neighbours import NeighbourRow
from kiteroll.store.overview import PortRow


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
