"""All kinds of findings in one table, in the order their help pages are listed."""

from collections.abc import Mapping
from datetime import timedelta

from kiteroll.core.findings.finding import FindingKind
from kiteroll.core.findings.kind_info import KindInfo
from kiteroll.core.findings.kinds import (
    address_flood,
    addresses_left_out,
    ageing_too_long,
    ageing_too_short,
    duplicate_address,
    flapping,
    ip_conflict,
    loop,
    moved,
    moved_together,
    multiple_ips,
    overfull_port,
    silent_port,
    stranger,
    switch_not_read,
    switch_replaced,
    switch_restarted,
    table_filling,
    topology_change,
    uplink_claimed,
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
        uplink_claimed,
        table_filling,
        ageing_too_short,
        ageing_too_long,
        switch_restarted,
        switch_not_read,
    )
}


def clear_after(kind: FindingKind, thresholds: Thresholds) -> timedelta:
    """How long a finding must be quiet until it clears."""
    info = KINDS[kind]
    base = thresholds.condition_clear_after if info.condition else thresholds.clear_after
    return info.clear_factor * base
