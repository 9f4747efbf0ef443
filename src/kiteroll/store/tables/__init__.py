"""The tables. Migrations make them; a test holds the two against each other.

History is intervals (`stay`), not samples, and nothing is written for an address that is still
where it was: an open stay with no `last_seen_at` was last seen at its switch's `last_complete_at`.
"""

from kiteroll.store.tables.alerts import alert_message, alert_route, alert_target, planned_work
from kiteroll.store.tables.base import metadata
from kiteroll.store.tables.collectors import collected_site, collector
from kiteroll.store.tables.history import (
    change_hour,
    change_log,
    endpoint,
    finding,
    finding_look,
    finding_opening,
    ip_lookup,
    ip_name,
    ip_stay,
    reading,
    stay,
)
from kiteroll.store.tables.inventory import (
    credential,
    csv_mapping,
    group_setting,
    maker_prefix,
    on_demand_round,
    round_try,
    shared_address,
    site,
)
from kiteroll.store.tables.labels import address_label
from kiteroll.store.tables.links import device_link, saved_query
from kiteroll.store.tables.network import neighbour, port, port_link, port_uplink, switch, vlan
from kiteroll.store.tables.people import account, api_token, audit_entry, sign_in_session
from kiteroll.store.tables.port_actions import (
    acting_state,
    port_action,
    port_closure,
    port_proposal,
    rehearsed_rule,
)
from kiteroll.store.tables.repeats import kept_answer
from kiteroll.store.tables.rules import (
    barred_address,
    candidate_decision,
    enrolled,
    enrolment_window,
    port_rule,
    rule_event,
)
from kiteroll.store.tables.settings import runtime_setting, tracking_rules

__all__ = [
    "account",
    "acting_state",
    "address_label",
    "alert_message",
    "alert_route",
    "alert_target",
    "api_token",
    "audit_entry",
    "barred_address",
    "candidate_decision",
    "change_hour",
    "change_log",
    "collected_site",
    "collector",
    "credential",
    "csv_mapping",
    "device_link",
    "endpoint",
    "enrolled",
    "enrolment_window",
    "finding",
    "finding_look",
    "finding_opening",
    "group_setting",
    "ip_lookup",
    "ip_name",
    "ip_stay",
    "kept_answer",
    "maker_prefix",
    "metadata",
    "neighbour",
    "on_demand_round",
    "planned_work",
    "port",
    "port_action",
    "port_closure",
    "port_link",
    "port_proposal",
    "port_rule",
    "port_uplink",
    "reading",
    "rehearsed_rule",
    "round_try",
    "rule_event",
    "runtime_setting",
    "saved_query",
    "shared_address",
    "sign_in_session",
    "site",
    "stay",
    "switch",
    "tracking_rules",
    "vlan",
]
