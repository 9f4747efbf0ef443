"""All kinds of findings in one table, in the order their help pages are listed."""

from collections.abc import Mapping, Sequence
from datetime import timedelta

from kiteroll.core.findings.finding import FindingKind
from kiteroll.core.findings.kind_info import KindInfo
from kiteroll.core.findings.kinds import (
    address_flood,
    addresses_left_out,
    ageing_too_long,
    ageing_too_short,
    alerts_not_delivered,
    barred_address,
    certificate_ends,
    closing_stopped,
    database_away,
    disk_filling,
    duplicate_address,
    enrolment_expires,
    flapping,
    ip_conflict,
    loop,
    moved,
    moved_together,
    multiple_ips,
    out_of_place,
    overfull_port,
    port_closed,
    readings_dropped,
    readings_refused,
    silent_port,
    site_not_read,
    stranger,
    switch_not_read,
    switch_replaced,
    switch_restarted,
    switches_late,
    table_filling,
    topology_change,
    unexpected_vlan,
    uplink_claimed,
    worker_failed,
)
from kiteroll.core.findings.thresholds import Thresholds

KINDS: Mapping[FindingKind, KindInfo] = {
    module.INFO.kind: module.INFO
    for module in (
        moved,
        moved_together,
        topology_change,
        switch_replaced,
        flapping,
        duplicate_address,
        ip_conflict,
        multiple_ips,
        loop,
        address_flood,
        addresses_left_out,
        silent_port,
        overfull_port,
        stranger,
        out_of_place,
        unexpected_vlan,
        barred_address,
        enrolment_expires,
        uplink_claimed,
        table_filling,
        ageing_too_short,
        ageing_too_long,
        switch_restarted,
        switch_not_read,
        switches_late,
        site_not_read,
        readings_dropped,
        readings_refused,
        worker_failed,
        database_away,
        disk_filling,
        certificate_ends,
        alerts_not_delivered,
        port_closed,
        closing_stopped,
    )
}

EXPLAINING = frozenset(kind for kind, info in KINDS.items() if info.explains)
"""Kinds that explain others."""
EXPLAINED_BY: Mapping[FindingKind, Sequence[FindingKind]] = {
    kind: tuple(other for other in KINDS if kind in KINDS[other].explains) for kind in KINDS
}
CONDITIONS = frozenset(kind for kind, info in KINDS.items() if info.condition)
RECORDED = frozenset(kind for kind, info in KINDS.items() if info.recorded)


def clear_after(kind: FindingKind, thresholds: Thresholds) -> timedelta:
    """How long a finding must be quiet until it clears."""
    info = KINDS[kind]
    base = thresholds.condition_clear_after if info.condition else thresholds.clear_after
    return info.clear_factor * base
