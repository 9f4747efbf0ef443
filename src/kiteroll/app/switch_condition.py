"""From the record of a switch to what it is judged by."""

from datetime import timedelta

from kiteroll.core.tracking.switch_health import SwitchCondition, SwitchHealth
from kiteroll.store.inventory import SwitchRow, agent_address


def condition_of(row: SwitchRow, present: int, ports_up: int = 0) -> SwitchCondition:
    """`present`: addresses in its latest table; `ports_up`: where there are none, ports that are up."""
    return SwitchCondition(
        name=row.name,
        site=row.site,
        interval=timedelta(seconds=row.interval_s),
        ageing=row.ageing,
        enabled=row.enabled,
        off_since=row.left_site_at,
        last_outcome=SwitchHealth(row.health),
        outcome_since=row.health_since,
        error=row.error or "",
        address=agent_address(row.host, row.udp_port, row.source),
        polled=row.source != "files",
        read_at=row.last_complete_at,
        bridge_address=row.bridge_address,
        learning_discards=row.learning_discards,
        discards_rose_at=row.discards_rose_at,
        table_size=row.table_size,
        present=present,
        ports_up=ports_up,
        drift=None if row.clock_drift_s is None else timedelta(seconds=row.clock_drift_s),
    )
