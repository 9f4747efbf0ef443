"""What calls can change, as it is: shown before and after in the audit log, and covered by entity tags."""

from hashlib import sha256
from typing import Any

from kiteroll.api.call_subjects import Given, PartsByType, number_of
from kiteroll.api.presenters.alerts import present_route
from kiteroll.api.presenters.port_actions import present_proposal
from kiteroll.app.access.accounts import Accounts
from kiteroll.app.alerts.alert_routes import AlertRoutes
from kiteroll.app.alerts.alert_targets import AlertTargets
from kiteroll.app.csv_mappings import CsvMappings
from kiteroll.app.device_links import DeviceLinks
from kiteroll.app.enrolment import Enrolment
from kiteroll.app.labels import Label, Labels
from kiteroll.app.makers import MakerDirectory
from kiteroll.app.named_credentials import NamedCredentials
from kiteroll.app.port_actions.proposals import Proposals
from kiteroll.app.port_rules import PortRules
from kiteroll.app.queries.endpoints import EndpointQueries
from kiteroll.app.queries.findings import FindingQueries
from kiteroll.app.queries.ports import PortQueries
from kiteroll.app.queries.switches import SwitchQueries
from kiteroll.app.runtime_settings import RuntimeSettings
from kiteroll.app.saved_queries import SavedQueries
from kiteroll.app.shared_addresses import SharedAddresses
from kiteroll.app.sites_and_groups import SitesAndGroups
from kiteroll.core.errors import KiteRollError
from kiteroll.core.model.mac import MacAddress


def switch(parts: PartsByType, given: Given) -> Any:
    row = parts[SwitchQueries].get((given["body"] or {}).get("name") or given["name"]).row
    shown: tuple[str, ...] = ("name", "source", "host", "udp_port", "site", "in_groups", "notes")
    shown += (
        "credential_name",
        "credential_kind",
        "interval_s",
        "timeout_s",
        "tries",
        "hold_time_s",
        "table_size",
        "enabled",
    )
    return {name: getattr(row, name) for name in shown}


def port(parts: PartsByType, given: Given) -> Any:
    return {"role": parts[PortQueries].get(given["name"], given["port"], None).role.role.value}


def finding(parts: PartsByType, given: Given) -> Any:
    found = parts[FindingQueries].get(number_of(given)).row.finding
    until = found.acknowledged_until and found.acknowledged_until.isoformat()
    details = {"by": found.acknowledged_by, "note": found.note, "until": until}
    return {"state": found.state.value, **{name: value for name, value in details.items() if value}}


def endpoint(parts: PartsByType, given: Given) -> Any:
    return _label_fields(parts[EndpointQueries].label(MacAddress.parse(given["mac"])))


def label(parts: PartsByType, given: Given) -> Any:
    return _label_fields(parts[Labels].get(MacAddress.parse(given["mac"])))


def _label_fields(one: Label) -> Any:
    return {"label": one.label, "owner": one.owner, "notes": one.notes}


def credential(parts: PartsByType, given: Given) -> Any:
    row = parts[NamedCredentials].get(given["name"])
    return {"kind": row.kind, "secret": _secret(row.sealed)}


def _secret(sealed: bytes) -> str:
    """Whether it became another one, without what it is."""
    return f"(secret {sha256(sealed).hexdigest()[:8]})"


def mapping(parts: PartsByType, given: Given) -> Any:
    return dict(parts[CsvMappings].get(given["name"]))


def site(parts: PartsByType, given: Given) -> Any:
    one = parts[SitesAndGroups].site(given["name"])
    return {"concurrency": one.concurrency, "area": one.area}


def group(parts: PartsByType, given: Given) -> Any:
    one = parts[SitesAndGroups].group(given["name"])
    return {"hold_time_s": one.hold_time_s, "shares_tables": one.shares_tables}


def shared_address(parts: PartsByType, given: Given) -> Any:
    return {"reason": parts[SharedAddresses].get(given["prefix"])[1]}


def maker(parts: PartsByType, given: Given) -> Any:
    return {"maker": parts[MakerDirectory].own_prefix(given["prefix"])[1]}


def device_link(parts: PartsByType, given: Given) -> Any:
    link = parts[DeviceLinks].get(given["name"])
    return {"of": link.of, "template": link.template}


def saved_query(parts: PartsByType, given: Given) -> Any:
    row = parts[SavedQueries].get(number_of(given), given["principal"].name)
    return {"name": row.name, "path": row.path, "shared": row.shared}


def rules(parts: PartsByType, given: Given) -> Any:
    return {"rules": parts[PortRules].fingerprint()}


def window(parts: PartsByType, given: Given) -> Any:
    row = parts[Enrolment].window(number_of(given)).row
    return {"closed_by": row.closed_by}


def user(parts: PartsByType, given: Given) -> Any:
    row = parts[Accounts].get(given["name"])
    shown = ("full_name", "role", "acts_on_ports", "enabled", "openid_subject")
    return {name: getattr(row, name) for name in shown} | {"sites": row.sites and sorted(row.sites)}


def alert_target(parts: PartsByType, given: Given) -> Any:
    row = parts[AlertTargets].get(given["name"]).row
    secret = "none" if row.sealed is None else _secret(row.sealed)
    flags = {"enabled": row.enabled, "audit_log": row.audit_log, "secret": secret}
    return {"kind": row.kind, **row.settings, **flags}


def alert_route(parts: PartsByType, given: Given) -> Any:
    return present_route(parts[AlertRoutes].get(given["name"])).model_dump(mode="json", exclude={"name"})


def planned_work(parts: PartsByType, given: Given) -> Any:
    row = parts[AlertRoutes].get_planned_work(number_of(given))
    work = row.work
    where = {"site": work.site, "switch": work.switch, "kind": work.kind, "reason": row.reason}
    return {"begins_at": work.begins_at.isoformat(), "ends_at": work.ends_at.isoformat(), **where}


def setting(parts: PartsByType, given: Given) -> Any:
    return {"value": parts[RuntimeSettings].get(given["name"]).value}


def state_or_none(state: Any, parts: PartsByType, given: Given) -> Any:
    """What is not there has no state."""
    try:
        return state(parts, given)
    except KiteRollError:
        return None


def proposal(parts: PartsByType, given: Given) -> Any:
    return present_proposal(parts[Proposals].get(number_of(given))).model_dump(mode="json")
