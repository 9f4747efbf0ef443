"""Every call, and the right it needs; of those that change something, how the audit log names it, whose site
it concerns, and what to show before and after.

This is the one place: a call that is not listed is refused at start, and so is an entry without a call.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

from kiteroll.api import call_states as was
from kiteroll.api import call_subjects as of
from kiteroll.api.call_subjects import Given, PartsByType
from kiteroll.core.access.rights import Right

SitesOf = Callable[[PartsByType, Given], Iterable[of.Site]]
StateOf = Callable[[PartsByType, Given], Any]


@dataclass(frozen=True, slots=True)
class Call:
    right: Right
    action: str = ""
    """In the audit log; empty: it changes nothing."""
    sites: SitesOf | None = None
    """Whose switches it changes; None: a change of the whole, for those alone who may change every site."""
    state: StateOf | None = None
    """What is shown before and after; None: what was sent is shown."""
    subject: tuple[str, ...] = ()
    """Parameters that name what is changed."""
    dry: bool = False
    """It only says what it would do, unless `dry_run` is false."""
    entered: bool = True
    """In the audit log. Readings are records of their own, and may come by the thousand every few minutes."""


def _change(
    right: Right,
    action: str,
    *subject: str,
    sites: SitesOf | None = None,
    state: StateOf | None = None,
    dry: bool = False,
    entered: bool = True,
) -> Call:
    return Call(right, action, sites, state, subject, dry, entered)


_VIEW = Call(Right.VIEW)
_ADMINISTER = Call(Right.ADMINISTER)
_OPERATE = Call(Right.OPERATE)
_ACCOUNT = Call(Right.ACCOUNT)

_SEEN = (
    *("list_switches", "list_ports", "list_address_counts", "list_link_history"),
    *("get_roll_call", "list_vlans", "list_neighbours", "list_rounds", "get_round", "list_sites"),
    *("list_groups", "list_readings", "list_hours", "list_mappings", "list_findings", "list_parts"),
    *("list_kinds", "get_kind", "list_shared_addresses", "list_rule_events"),
    *("get_enrolment", "list_barred", "get_barred", "list_windows", "list_candidates", "get_roll_calls"),
    *("list_absent", "call_against", "roll_call_report_page", "list_ports_by_use", "list_rehearsals"),
    *("get_rehearsal", "list_rehearsed_seats", "search", "list_endpoints", "get_path", "list_quiet_times"),
    *("list_reading_pauses", "list_homes", "list_ips", "list_stays", "list_labels", "list_makers"),
    *("list_changes", "list_differences", "list_unread_switches", "health"),
    *("stream", "get_map", "list_all_vlans", "list_vlan_ports", "list_discovered_switches", "export"),
    *("switch_report_page", "metrics", "list_credentials", "list_alert_routes", "list_planned_work"),
    *("list_alerts", "list_actions", "get_action", "list_closed_ports", "list_proposals"),
    *("list_sweeps", "get_sweep", "get_ageing_advice", "list_device_links", "list_switch_links"),
    *("list_endpoint_links", "list_saved_queries", "list_collectors", "get_collector"),
    *("list_collected_sites", "list_areas"),
)

_SEEN_AND_CHANGED: dict[str, StateOf] = {
    "get_switch": was.switch,
    "get_port": was.port,
    "get_endpoint": was.endpoint,
    "get_label": was.label,
    "get_device_link": was.device_link,
    "get_saved_query": was.saved_query,
    "get_finding": was.finding,
    "get_credential": was.credential,
    "get_site": was.site,
    "get_group": was.group,
    "get_mapping": was.mapping,
    "get_shared_address": was.shared_address,
    "get_maker": was.maker,
    "get_rules_file": was.rules,
    "list_rules": was.rules,
    "get_window": was.window,
    "get_proposal": was.proposal,
    "get_alert_route": was.alert_route,
    "get_planned_work": was.planned_work,
    "get_setting": was.setting,
}


CALLS: dict[str, Call] = {
    **dict.fromkeys(_SEEN, _VIEW),
    **{name: Call(Right.VIEW, state=state) for name, state in _SEEN_AND_CHANGED.items()},
    # Switches
    "add_switch": _change(Right.ADMINISTER, "switch.add", "body.name"),
    "change_switches": _change(Right.ADMINISTER, "switch.change-many"),
    "change_switch": _change(Right.ADMINISTER, "switch.change", "name", state=was.switch),
    "remove_switch": _change(Right.ADMINISTER, "switch.remove", "name", state=was.switch),
    "change_port": _change(
        Right.OPERATE, "port.change", "name", "port", sites=of.site_of_switch, state=was.port
    ),
    "read_now": _change(Right.OPERATE, "switch.read", "name", sites=of.site_of_switch),
    "rotate_key": _change(Right.ADMINISTER, "key.rotate"),
    "add_credential": _change(Right.ADMINISTER, "credential.add", "body.name"),
    "test_credential": _change(Right.ADMINISTER, "credential.test", "body.host"),
    "change_credential": _change(Right.ADMINISTER, "credential.change", "name", state=was.credential),
    "remove_credential": _change(Right.ADMINISTER, "credential.remove", "name", state=was.credential),
    "begin_round": _change(Right.OPERATE, "round.begin", sites=of.sites_of_round),
    "cancel_round": _change(Right.OPERATE, "round.cancel", "number"),
    "resume_round": _change(Right.OPERATE, "round.resume", "number"),
    "change_site": _change(Right.ADMINISTER, "site.change", "name", state=was.site),
    "change_group": _change(Right.ADMINISTER, "group.change", "name", state=was.group),
    "import_readings": _change(Right.OPERATE, "reading.import", entered=False),
    "import_mac_table": _change(Right.OPERATE, "mac-table.import", "body.switch", sites=of.site_of_body),
    "set_mapping": _change(Right.OPERATE, "mapping.set", "name", state=was.mapping),
    "remove_mapping": _change(Right.OPERATE, "mapping.remove", "name", state=was.mapping),
    # Acting on ports
    "act": _change(
        Right.ACT_ON_PORTS, "port.act", "body.switch", "body.port", sites=of.site_of_body, dry=True
    ),
    "approve_proposal": _change(
        Right.ACT_ON_PORTS, "proposal.approve", "number", sites=of.site_of_proposal, state=was.proposal
    ),
    "refuse_proposal": _change(
        Right.ACT_ON_PORTS, "proposal.refuse", "number", sites=of.site_of_proposal, state=was.proposal
    ),
    "go_on_closing": _change(Right.ACT_ON_PORTS, "closing.go-on"),
    "begin_sweep": _change(Right.OPERATE, "sweep.begin"),
    # Findings
    "acknowledge": _change(
        Right.OPERATE, "finding.acknowledge", "number", sites=of.sites_of_finding, state=was.finding
    ),
    "clear": _change(Right.OPERATE, "finding.clear", "number", sites=of.sites_of_finding, state=was.finding),
    "acknowledge_many": _change(Right.OPERATE, "finding.acknowledge-many", sites=of.sites_of_findings),
    "clear_many": _change(Right.OPERATE, "finding.clear-many", sites=of.sites_of_findings),
    "set_shared_address": _change(Right.OPERATE, "shared-address.set", "prefix", state=was.shared_address),
    "remove_shared_address": _change(
        Right.OPERATE, "shared-address.remove", "prefix", state=was.shared_address
    ),
    # Rules
    "change_rules": _change(Right.OPERATE, "rule.change", sites=of.sites_of_rules, state=was.rules),
    "enrol": _change(Right.OPERATE, "roll.enrol", "body.prefix", sites=of.site_of_body),
    "enrol_list": _change(Right.OPERATE, "roll.enrol-list"),
    "enrol_present": _change(Right.OPERATE, "roll.enrol-present", sites=of.site_of_level),
    "replace_entry": _change(Right.OPERATE, "roll.replace", "number", sites=of.site_of_entry),
    "strike_off": _change(Right.OPERATE, "roll.strike-off", "number", sites=of.site_of_entry),
    "put_rules_file": _change(Right.OPERATE, "rule.apply-file", state=was.rules),
    "bar": _change(Right.OPERATE, "barred.add", "body.prefix"),
    "lift_bar": _change(Right.OPERATE, "barred.lift", "prefix"),
    "open_window": _change(Right.OPERATE, "window.open", sites=of.site_of_level),
    "close_window": _change(
        Right.OPERATE, "window.close", "number", sites=of.site_of_window, state=was.window
    ),
    "decide": _change(Right.OPERATE, "window.decide", "number", sites=of.site_of_window),
    "begin_rehearsal": _OPERATE,
    "cancel_rehearsal": _OPERATE,
    # Endpoints
    "change_endpoint": _change(
        Right.OPERATE, "endpoint.change", "mac", sites=of.site_of_home, state=was.endpoint
    ),
    "add_collector": _change(Right.ADMINISTER, "collector.add", "body.name"),
    "remove_collector": _change(Right.ADMINISTER, "collector.remove", "name"),
    "set_device_link": _change(Right.ADMINISTER, "device-link.set", "name", state=was.device_link),
    "remove_device_link": _change(Right.ADMINISTER, "device-link.remove", "name", state=was.device_link),
    "add_saved_query": _change(Right.ACCOUNT, "saved-query.add", "body.name", sites=of.own),
    "set_saved_query": _change(
        Right.ACCOUNT, "saved-query.set", "number", sites=of.own, state=was.saved_query
    ),
    "remove_saved_query": _change(
        Right.ACCOUNT, "saved-query.remove", "number", sites=of.own, state=was.saved_query
    ),
    "set_label": _change(Right.OPERATE, "label.set", "mac", sites=of.sites_of_labels, state=was.label),
    "change_labels": _change(Right.OPERATE, "label.change", sites=of.sites_of_labels),
    "remove_label": _change(Right.OPERATE, "label.remove", "mac", sites=of.sites_of_labels, state=was.label),
    "add_makers": _change(Right.OPERATE, "maker.add"),
    "remove_maker": _change(Right.OPERATE, "maker.remove", "prefix", state=was.maker),
    # People
    "list_users": _ADMINISTER,
    "get_user": Call(Right.ADMINISTER, state=was.user),
    "add_user": _change(Right.ADMINISTER, "user.add", "body.name"),
    "change_user": _change(Right.ADMINISTER, "user.change", "name", state=was.user),
    "remove_user": _change(Right.ADMINISTER, "user.remove", "name", state=was.user),
    "reset_password": _change(Right.ADMINISTER, "user.reset-password", "name"),
    "change_own_password": _change(Right.ACCOUNT, "user.change-password", sites=of.own),
    "list_tokens": _ACCOUNT,
    "get_token": _ACCOUNT,
    "add_token": _change(Right.ACCOUNT, "token.add", "body.name", sites=of.own),
    "revoke_token": _change(Right.ACCOUNT, "token.revoke", "number", sites=of.own),
    "list_sessions": _ACCOUNT,
    "end_session": _change(Right.ACCOUNT, "session.end", "number", sites=of.own),
    "list_audit_entries": _ADMINISTER,
    "export_audit_log": _ADMINISTER,
    "verify_audit_log": _ADMINISTER,
    "list_settings": _VIEW,
    "set_setting": _change(Right.ADMINISTER, "setting.set", "name", state=was.setting),
    "reset_setting": _change(Right.ADMINISTER, "setting.reset", "name", state=was.setting),
    # Alerts
    "list_alert_targets": _ADMINISTER,
    "get_alert_target": Call(Right.ADMINISTER, state=was.alert_target),
    "set_alert_target": _change(Right.ADMINISTER, "alert-target.set", "name", state=was.alert_target),
    "remove_alert_target": _change(Right.ADMINISTER, "alert-target.remove", "name", state=was.alert_target),
    "test_alert_target": _change(Right.ADMINISTER, "alert-target.test", "name"),
    "set_alert_route": _change(Right.ADMINISTER, "alert-route.set", "name", state=was.alert_route),
    "remove_alert_route": _change(Right.ADMINISTER, "alert-route.remove", "name", state=was.alert_route),
    "plan_work": _change(Right.OPERATE, "planned-work.add", sites=of.site_of_new_work),
    "end_work": _change(
        Right.OPERATE, "planned-work.end", "number", sites=of.site_of_work, state=was.planned_work
    ),
}

OPEN = frozenset({"sign_in", "get_session", "sign_out", "begin_openid", "end_openid"})
"""Calls that check for themselves who makes them."""
