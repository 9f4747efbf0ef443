"""Switches, ports, neighbours and credentials, as the API shows them."""

from kiteroll.api.presenters.endpoints import fields_of_role
from kiteroll.app.named_credentials import CredentialRow
from kiteroll.app.queries.network_map import LinkView
from kiteroll.app.queries.ports import PortView
from kiteroll.app.queries.switches import NeighbourRow, SwitchView
from kiteroll.app.queries.vlans import VlanRow
from kiteroll.core.model.uptime import uptime
from kiteroll.core.topology.roles import RoleEvidence
from kiteroll.schemas import api
from kiteroll.wording.switches import warning_text
from kiteroll.wording.topology import role_text


def present_switch(view: SwitchView) -> api.Switch:
    row = view.row
    up_since = None
    if row.uptime_at is not None and row.uptime_ticks is not None:
        up_since = row.uptime_at - uptime(row.uptime_ticks)
    return api.Switch(
        name=row.name,
        source=row.source,  # type: ignore[arg-type]  # written from the same set
        host=row.host,
        port=row.udp_port,
        site=row.site,
        groups=row.in_groups,
        notes=row.notes,
        credential=row.credential_name,
        credential_kind=row.credential_kind,
        write_credential=row.write_credential,
        interval_s=row.interval_s,
        timeout_s=row.timeout_s,
        tries=row.tries,
        hold_time_s=row.hold_time_s,
        enabled=row.enabled,
        health=view.health.value,
        healthy=view.health.is_healthy,
        health_since=view.health_since,
        tried_at=row.tried_at,
        read_at=row.last_complete_at,
        next_try_at=view.next_try_at,
        error=row.error,
        warnings=[warning_text(one, view.at) for one in view.warnings],
        present=view.present,
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


def present_port(view: PortView) -> api.Port:
    row, role = view.row, view.role
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
        partner=row.partner,
        default_vlan=row.default_vlan,
        tagged=row.tagged,
        untagged=row.untagged,
        spanning_tree=row.spanning_tree,
        present=row.present,
        quiet=row.quiet,
        **fields_of_role(role),
        role_by_operator=role.evidence is RoleEvidence.OPERATOR,
        role_evidence=role_text(role),
        beyond=role.beyond,
        use=view.use.value,
        silent_since=view.silent_since,
    )


def present_neighbour(row: NeighbourRow) -> api.Neighbour:
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


def present_vlan(row: VlanRow) -> api.VlanSummary:
    return api.VlanSummary(id=row.id, names=list(row.names), switches=row.switches, present=row.present)


def present_credential(row: CredentialRow) -> api.NamedCredential:
    return api.NamedCredential(name=row.name, kind=row.kind, used_by=row.used_by, added_at=row.added_at)


def present_link(link: LinkView) -> api.MapLink:
    return api.MapLink(
        a=link.here[0],
        a_port=link.here[1],
        b=link.far_switch,
        b_port=link.far_port,
        why=role_text(link.role),
        state=link.state.value,
        bundled=link.bundled,
    )
