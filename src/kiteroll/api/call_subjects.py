"""The sites whose switches a changing call concerns."""

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from kiteroll.app.alerts.alert_routes import AlertRoutes
from kiteroll.app.enrolment import Enrolment
from kiteroll.app.port_actions.proposals import Proposals
from kiteroll.app.port_rules import PortRules
from kiteroll.app.queries.endpoints import EndpointQueries
from kiteroll.app.queries.findings import FindingQueries
from kiteroll.app.queries.switches import SwitchQueries
from kiteroll.core.errors import Invalid
from kiteroll.core.model.mac import MacAddress

PartsByType = Mapping[type, Any]
Given = Mapping[str, Any]
"""Of a call: its path and query parameters and, under `body`, its parsed body."""


@dataclass(frozen=True, slots=True)
class Site:
    """A site, and what there is concerned. None: no single one."""

    name: str | None
    what: str


def number_of(given: Given) -> int:
    """The number in a path. Raises Invalid: this is asked before parameters are checked."""
    try:
        return int(given["number"])
    except ValueError as wrong:
        raise Invalid(f"path.number: {given['number'][:100]!r} is not a whole number") from wrong


# --- sites --------------------------------------------------------------------------------


def own(parts: PartsByType, given: Given) -> Iterable[Site]:
    """What is one's own is at no site."""
    return ()


def site_of_switch(parts: PartsByType, given: Given) -> Iterable[Site]:
    return (_site(parts, given["name"]),)


def site_of_body(parts: PartsByType, given: Given) -> Iterable[Site]:
    """Of the switch that the body names, if it names one."""
    name = (given["body"] or {}).get("switch")
    return (_site(parts, name) if name else Site(None, "what it sets for groups or everything"),)


def site_of_level(parts: PartsByType, given: Given) -> Iterable[Site]:
    return (_of_level(parts, (given["body"] or {}).get("level") or {}),)


def sites_of_rules(parts: PartsByType, given: Given) -> Iterable[Site]:
    changes = (given["body"] or {}).get("changes") or ()
    return [_of_level(parts, one) for one in changes if isinstance(one, dict)]


def sites_of_round(parts: PartsByType, given: Given) -> Iterable[Site]:
    body = given["body"] or {}
    if isinstance(site := body.get("site"), str):
        return (Site(site, f"a round of site {site}"),)
    names = body.get("switches") or ()
    return [_site(parts, name) for name in names] or (Site(None, "a round of a group or of all switches"),)


def sites_of_finding(parts: PartsByType, given: Given) -> Iterable[Site]:
    return _of_findings(parts, [number_of(given)])


def sites_of_findings(parts: PartsByType, given: Given) -> Iterable[Site]:
    numbers = (given["body"] or {}).get("findings") or ()
    return _of_findings(parts, [one for one in numbers if isinstance(one, int)])


def _of_findings(parts: PartsByType, numbers: Collection[int]) -> Iterable[Site]:
    about = parts[FindingQueries].switches_of(numbers)
    for name in sorted(frozenset().union(*about)):
        yield _site(parts, name)
    if not all(about):
        yield Site(None, "a finding of no one switch")


def site_of_entry(parts: PartsByType, given: Given) -> Iterable[Site]:
    for row in parts[PortRules].all():
        if any(one.entry.id == number_of(given) for one in row.roll):
            return (_of_level(parts, {"switch": row.level.switch}),)
    return ()


def site_of_window(parts: PartsByType, given: Given) -> Iterable[Site]:
    window = parts[Enrolment].window(number_of(given)).row.window
    return (_of_level(parts, {"switch": window.level.switch}),)


def site_of_proposal(parts: PartsByType, given: Given) -> Iterable[Site]:
    return (_site(parts, parts[Proposals].get(number_of(given)).switch),)


def site_of_home(parts: PartsByType, given: Given) -> Iterable[Site]:
    home = parts[EndpointQueries].get(MacAddress.parse(given["mac"]), None).home_place
    return (_site(parts, home.row.place.switch) if home else Site(None, "an endpoint that is nowhere now"),)


def sites_of_labels(parts: PartsByType, given: Given) -> Iterable[Site]:
    """Where the addresses are at home; those that are nowhere belong to no single site."""
    macs = [given["mac"]] if "mac" in given else list((given["body"] or {}).get("labels") or ())
    known = parts[EndpointQueries].known([MacAddress.parse(mac) for mac in macs])
    homes = [one.home_place for one in known if one.home_place is not None]
    found = [_site(parts, name) for name in sorted({one.row.stay.place.switch for one in homes})]
    return [*found, *([Site(None, "an address that is nowhere now")] if len(homes) < len(macs) else [])]


def site_of_new_work(parts: PartsByType, given: Given) -> Iterable[Site]:
    body = given["body"] or {}
    return (_of_work(parts, body.get("site") or "", body.get("switch") or ""),)


def site_of_work(parts: PartsByType, given: Given) -> Iterable[Site]:
    work = parts[AlertRoutes].get_planned_work(number_of(given)).work
    return (_of_work(parts, work.site, work.switch),)


def _of_work(parts: PartsByType, site: str, switch: str) -> Site:
    if switch:
        return _site(parts, switch)
    return Site(site, f"site {site}") if site else Site(None, "planned work everywhere")


def _of_level(parts: PartsByType, level: Mapping[str, Any]) -> Site:
    name = level.get("switch")
    return _site(parts, name) if name else Site(None, "what is set for a group or everything")


def _site(parts: PartsByType, name: Any) -> Site:
    """Raises NotFound."""
    return Site(parts[SwitchQueries].get(str(name)).row.site, str(name))
