"""Client library of the Kite Roll API: typed requests, sent synchronously or asynchronously.

    from kiteroll.client import (Client, search, switches)

    with Client("http://127.0.0.1:8480", token) as kite:
        found = kite.send(search("52:4e"))
        for switch in kite.each(switches()):
            print(switch.name, switch.health)

`AsyncClient` takes the same requests: `await kite.send(...)`, `async for ... in kite.each(...)`.

Each name is loaded when it is first used: a command that sends one request loads no other.
"""

from typing import TYPE_CHECKING

from kiteroll.schemas.lazy import loader

# ruff: noqa: F403 - _NAMES says what there is when it runs

if TYPE_CHECKING:
    from kiteroll.client.acting_requests import *
    from kiteroll.client.alert_requests import *
    from kiteroll.client.collector_requests import *
    from kiteroll.client.endpoint_requests import *
    from kiteroll.client.errors import *
    from kiteroll.client.finding_requests import *
    from kiteroll.client.http_client import AsyncClient as AsyncClient
    from kiteroll.client.http_client import Client as Client
    from kiteroll.client.label_requests import *
    from kiteroll.client.link_requests import *
    from kiteroll.client.network_requests import *
    from kiteroll.client.people_requests import *
    from kiteroll.client.request import ApiListRequest as ApiListRequest
    from kiteroll.client.request import ApiRequest as ApiRequest
    from kiteroll.client.rule_requests import *
    from kiteroll.client.switch_requests import *

_NAMES = {
    "acting_requests": """
        act action actions ageing_advice approve_proposal begin_sweep closed_ports go_on_closing
        proposals refuse_proposal sweep sweeps""",
    "alert_requests": """
        alert_routes alert_targets alerts end_work plan_work planned_work remove_alert_route
        remove_alert_target set_alert_route set_alert_target test_alert_target""",
    "collector_requests": "add_collector collected_sites collectors remove_collector",
    "endpoint_requests": """
        add_makers change_endpoint endpoint endpoints homes ips makers path quiet_times
        reading_pauses remove_maker search stays""",
    "errors": "ServiceError ServiceUnreachable",
    "finding_requests": """
        acknowledge acknowledge_findings clear_finding clear_findings finding finding_kind finding_parts
        findings
        remove_shared_address set_shared_address shared_addresses""",
    "http_client": "AsyncClient Client",
    "label_requests": "change_labels labels remove_label set_label",
    "link_requests": """
        add_saved_query device_links endpoint_links remove_device_link remove_saved_query
        saved_queries set_device_link switch_links""",
    "network_requests": """
        all_vlans changes differences health hours import_mac_table import_readings mappings
        network_map readings remove_mapping reset_setting set_mapping set_setting settings
        unread_switches vlan_ports""",
    "people_requests": """
        add_token add_user audit_log audit_verdict change_own_password change_user end_session
        remove_user reset_password revoke_token rotate_key sessions tokens users""",
    "request": "ApiListRequest ApiRequest",
    "rule_requests": """
        absent apply_rules_file bar barred begin_rehearsal call_against cancel_rehearsal
        candidates change_rules close_window decide enrol enrol_list enrol_present enrolment_of
        enrolment_windows lift_bar open_window ports_by_use rehearsal rehearsals rehearsed_seats
        replace_entry roll_call roll_calls rule_log rules rules_file strike_off""",
    "switch_requests": """
        add_credential add_switch address_counts areas begin_round cancel_round
        change_credential change_group change_port change_site change_switch change_switches
        credentials discovered_switches groups link_history neighbours ports read_now
        remove_credential remove_switch resume_round round_status rounds sites switch switches
        test_credential vlans""",
}

__getattr__, __all__ = loader(__name__, "kiteroll.client", _NAMES, globals())
