"""The tables. Migrations make them; a test holds the two against each other.

History is intervals (`stay`), not samples, and nothing is written for an address that is still
where it was: an open stay with no `last_seen_at` was last seen at its switch's `last_complete_at`.
"""

from kiteroll.store.tables.base import metadata
from kiteroll.store.tables.history import (
    change_log,
    endpoint,
    finding,
    ip_lookup,
    ip_name,
    ip_stay,
    reading,
    stay,
)
from kiteroll.store.tables.inventory import (
    credential,
    csv_mapping,
    enrolled,
    group_setting,
    maker_prefix,
    on_demand_round,
    port_rule,
    shared_address,
    site,
)
from kiteroll.store.tables.network import neighbour, port, port_link, port_uplink, switch, vlan

__all__ = [
    "change_log",
    "credential",
    "csv_mapping",
    "endpoint",
    "enrolled",
    "finding",
    "group_setting",
    "ip_lookup",
    "ip_name",
    "ip_stay",
    "maker_prefix",
    "metadata",
    "neighbour",
    "on_demand_round",
    "port",
    "port_link",
    "port_rule",
    "port_uplink",
    "reading",
    "shared_address",
    "site",
    "stay",
    "switch",
    "vlan",
]
