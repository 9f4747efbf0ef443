"""What a changing call is about: the sites whose switches it concerns, and the state before and after."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from hashlib import sha256
from typing import Any

from kiteroll.api.presenters.alerts import present_route
from kiteroll.api.presenters.port_actions import present_proposal
from kiteroll.app.access.accounts import Accounts
from kiteroll.app.alerts.alert_routes import AlertRoutes
from kiteroll.app.alerts.alert_targets import AlertTargets
from kiteroll.app.enrolment import Enrolment
from kiteroll.app.port_actions.proposals import Proposals
from kiteroll.app.port_rules import PortRules
from kiteroll.app.queries.endpoints import EndpointQueries
from kiteroll.app.queries.findings import FindingQueries
from kiteroll.app.queries.ports import PortQueries
from kiteroll.app.queries.switches import SwitchQueries
from kiteroll.app.runtime_settings import RuntimeSettings
from kiteroll.core.errors import KiteRollError
from kiteroll.core.model.mac import MacAddress

Parts = Mapping[type, Any]
Given = Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class Site:
    """A site, and what there is concerned. None: no single one."""

    name: str | None
    what: str


# --- sites --------------------------------------------------------------------------------


def own(parts: Parts, given: Given) -> Iterable[Site]:
    """What is one's own is at no site."""
    return ()


def site_of_switch(parts: Parts, given: Given) -> Iterable[Site]:
    return (_site(parts, given["name"]),)


def site_of_body(parts: Parts, given: Given) -> Iterable[Site]:
    """Of the switch that the body names, if it names one."""
    name = (given["body"] or {}).get("switch")
    return (_site(parts, name) if name else Site(None, "what it sets for groups or everything"),)


def site_of_level(parts: Parts, given: Given) -> Iterable[Site]:
    return (_of_level(parts, (given["body"] or {}).get("level") or {}),)


def sites_of_rules(parts: Parts, given: Given) -> Iterable[Site]:
    changes = (given["body"] or {}).get("changes") or ()
    return [_of_level(parts, one) for one in changes if isinstance(one, dict)]


def sites_of_round(parts: Parts, given: Given) -> Iterable[Site]:
    names = (given["body"] or {}).get("switches") or ()
    return [_site(parts, name) for name in names] or (Site(None, "a round of a group or of all switches"),)


def sites_of_finding(parts: Parts, given: Given) -> Iterable[Site]:
    found = parts[FindingQueries].get(int(given["number"])).row.finding
    return [_site(parts, name) for name in sorted(found.switches)] or (
        Site(None, "a finding of no one switch"),
    )


def site_of_entry(parts: Parts, given: Given) -> Iterable[Site]:
    for row in parts[PortRules].all():
        if any(one.entry.id == int(given["number"]) for one in row.roll):
            return (_of_level(parts, {"switch": row.level.switch}),)
    return ()


def site_of_window(parts: Parts, given: Given) -> Iterable[Site]:
    window = parts[Enrolment].window(int(given["number"])).row.window
    return (_of_level(parts, {"switch": window.level.switch}),)


def site_of_proposal(parts: Parts, given: Given) -> Iterable[Site]:
    return (_site(parts, parts[Proposals].get(int(given["number"])).switch),)


def site_of_home(parts: Parts, given: Given) -> Iterable[Site]:
    home = parts[EndpointQueries].get(MacAddress.parse(given["mac"]), None).home_place
    return (_site(parts, home.row.place.switch) if home else Site(None, "an endpoint that is nowhere now"),)


def site_of_new_work(parts: Parts, given: Given) -> Iterable[Site]:
    body = given["body"] or {}
    return (_of_work(parts, body.get("site") or "", body.get("switch") or ""),)


def site_of_work(parts: Parts, given: Given) -> Iterable[Site]:
    work = parts[AlertRoutes].get_planned_work(int(given["number"])).work
    return (_of_work(parts, work.site, work.switch),)


def _of_work(parts: Parts, site: str, switch: str) -> Site:
    if switch:
        return _site(parts, switch)
    return Site(site, f"site {site}") if site else Site(None, "planned work everywhere")


def _of_level(parts: Parts, level: Mapping[str, Any]) -> Site:
    name = level.get("switch")
    return _site(parts, name) if name else Site(None, "what is set for a group or everything")


def _site(parts: Parts, name: Any) -> Site:
    """Raises NotFound."""
    return Site(parts[SwitchQueries].get(str(name)).row.site, str(name))


# --- states -------------------------------------------------------------------------------


def switch(parts: Parts, given: Given) -> Any:
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


def port(parts: Parts, given: Given) -> Any:
    return {"role": parts[PortQueries].get(given["name"], given["port"], None).role.role.value}


def finding(parts: Parts, given: Given) -> Any:
    found = parts[FindingQueries].get(int(given["number"])).row.finding
    return {"state": found.state.value}


def user(parts: Parts, given: Given) -> Any:
    row = parts[Accounts].get(given["name"])
    shown = ("full_name", "role", "acts_on_ports", "enabled", "openid_subject")
    return {name: getattr(row, name) for name in shown} | {"sites": row.sites and sorted(row.sites)}


def alert_target(parts: Parts, given: Given) -> Any:
    row = parts[AlertTargets].get(given["name"]).row
    secret = "none" if row.sealed is None else f"(secret {sha256(row.sealed).hexdigest()[:8]})"
    flags = {"enabled": row.enabled, "audit_log": row.audit_log, "secret": secret}
    return {"kind": row.kind, **row.settings, **flags}


def alert_route(parts: Parts, given: Given) -> Any:
    return present_route(parts[AlertRoutes].get(given["name"])).model_dump(mode="json", exclude={"name"})


def planned_work(parts: Parts, given: Given) -> Any:
    row = parts[AlertRoutes].get_planned_work(int(given["number"]))
    work = row.work
    where = {"site": work.site, "switch": work.switch, "kind": work.kind, "reason": row.reason}
    return {"begins_at": work.begins_at.isoformat(), "ends_at": work.ends_at.isoformat(), **where}


def setting(parts: Parts, given: Given) -> Any:
    return {"value": parts[RuntimeSettings].get(given["name"]).value}


def state_or_none(state: Any, parts: Parts, given: Given) -> Any:
    """What is not there has no state."""
    try:
        return state(parts, given)
    except KiteRollError:
        return None


def proposal(parts: Parts, given: Given) -> Any:
    return present_proposal(parts[Proposals].get(int(given["number"]))).model_dump(mode="json")
