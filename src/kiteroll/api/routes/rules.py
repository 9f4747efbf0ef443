"""Rules of ports: what is set at each level, the rolls, who is barred, the rules as a file, and their log."""

from typing import Annotated

from fastapi import APIRouter, Query, Response

from kiteroll.api.admission import ThePrincipal
from kiteroll.api.contract.located import located
from kiteroll.api.contract.pages import PageAsk, by, page, presented_page
from kiteroll.api.dependencies import TheClock, TheEnrolment, ThePortRules
from kiteroll.api.presenters.rules import (
    change_of,
    entry_of,
    level_of,
    present_barred,
    present_enrolment,
    present_event,
    present_outcome,
    present_rule,
)
from kiteroll.app.port_rules import Author
from kiteroll.core.errors import NotFound
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.makers import parse_address_or_prefix
from kiteroll.core.policy.roll import Barred
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf
from kiteroll.schemas.rules_file import parse_rules, rules_text

router = APIRouter(tags=["rules"])
Reason = Annotated[str, Query(max_length=255, description="why; kept in the log")]


@router.get("/rules", summary="What is set at each level, wide levels first")
def list_rules(
    ask: Annotated[PageAsk, by("level")], rules: ThePortRules, clock: TheClock
) -> PageOf[api.PortRules]:
    now = clock.now()
    return presented_page(
        rules.all(), ask, lambda row: present_rule(row, now), "level", name=lambda row: [str(row.level)]
    )


@router.patch("/rules", summary="Set values at levels, as one change; null inherits")
def change_rules(principal: ThePrincipal, rules: ThePortRules, patch: api.RulesPatch) -> api.RulesOutcome:
    changes = [change_of(one) for one in patch.changes]
    author = Author(principal.name, patch.reason)
    return present_outcome(rules.set_levels(changes, author, dry_run=patch.dry_run))


@router.post("/rules/roll", summary="Enrol an address or a prefix")
def enrol(principal: ThePrincipal, rules: ThePortRules, new: api.NewEntry) -> api.RulesOutcome:
    return present_outcome(rules.enrol([entry_of(new)], Author(principal.name, new.reason)))


@router.post("/rules/roll/list", summary="Enrol a CSV list; all of it or nothing")
def enrol_list(principal: ThePrincipal, enrolment: TheEnrolment, new: api.NewEntries) -> api.RulesOutcome:
    level = None if new.level is None else level_of(new.level)
    author = Author(principal.name, new.reason, "list")
    return present_outcome(enrolment.from_list(new.text, level, author, dry_run=new.dry_run))


@router.post("/rules/roll/present", summary="Enrol everybody present now, each at their port")
def enrol_present(
    principal: ThePrincipal, enrolment: TheEnrolment, new: api.EnrolPresent
) -> api.RulesOutcome:
    author = Author(principal.name, new.reason, "present")
    return present_outcome(enrolment.all_present(level_of(new.level), author, new.note, dry_run=new.dry_run))


@router.post("/rules/roll/{number}/replace", summary="Another device stands in for an enrolled one")
def replace_entry(
    principal: ThePrincipal, rules: ThePortRules, number: int, new: api.EntryReplacement
) -> api.RulesOutcome:
    return present_outcome(
        rules.replace_entry(number, MacAddress.parse(new.mac), Author(principal.name, new.reason))
    )


@router.delete("/rules/roll/{number}", summary="Strike an entry off its roll")
def strike_off(
    principal: ThePrincipal, rules: ThePortRules, number: int, reason: Reason = ""
) -> api.RulesOutcome:
    return present_outcome(rules.strike_off(number, Author(principal.name, reason)))


@router.get("/rules/file", summary="All rules as TOML")
def get_rules_file(rules: ThePortRules) -> api.RulesText:
    return api.RulesText(text=rules_text(rules.rule_set()))


@router.put("/rules/file", summary="Make the rules what a TOML file says; all of it or nothing")
def put_rules_file(principal: ThePrincipal, rules: ThePortRules, file: api.RulesFile) -> api.RulesOutcome:
    wanted = parse_rules(file.text)
    author = Author(principal.name, file.reason, "file")
    return present_outcome(rules.replace_all(wanted, author, dry_run=file.dry_run))


@router.get("/rules/log", summary="Who changed what of the rules, when and why; latest first")
def list_rule_events(
    ask: Annotated[PageAsk, by("at")],
    rules: ThePortRules,
    switch: str | None = None,
    port: str | None = None,
    address: str | None = None,
) -> PageOf[api.RuleEvent]:
    prefix = None if address is None else parse_address_or_prefix(address)
    found = rules.events(switch, port, prefix, ask)
    return PageOf(items=[present_event(one) for one in found.items], next=found.next)


@router.get("/endpoints/{mac}/enrolment", summary="Where an endpoint may be, and whether it is barred")
def get_enrolment(rules: ThePortRules, mac: str) -> api.EnrolmentOf:
    return present_enrolment(*rules.about(MacAddress.parse(mac)))


@router.get("/barred", summary="Addresses and prefixes that must appear nowhere")
def list_barred(
    ask: Annotated[PageAsk, by("prefix", "expires_at", "at", "by")], rules: ThePortRules, clock: TheClock
) -> PageOf[api.BarredEntry]:
    now = clock.now()
    rows = [present_barred(row, now) for row in rules.barred()]
    return page(rows, ask, "prefix")


@router.get("/barred/{prefix}", summary="One address or prefix that must appear nowhere")
def get_barred(rules: ThePortRules, clock: TheClock, prefix: str) -> api.BarredEntry:
    wanted = parse_address_or_prefix(prefix)
    rows = [row for row in rules.barred() if row.entry.prefix == wanted]
    if not rows:
        raise NotFound("barred address", prefix, "`kiteroll barred list` shows those there are")
    return present_barred(rows[0], clock.now())


@router.post("/barred", status_code=201, summary="Bar an address or a prefix")
def bar(
    response: Response, principal: ThePrincipal, rules: ThePortRules, new: api.NewBarred
) -> api.RulesOutcome:
    located(response, "barred", new.prefix)
    entry = Barred(new.prefix, new.reason, new.expires_at)
    return present_outcome(rules.bar([entry], Author(principal.name, new.reason)))


@router.delete("/barred/{prefix}", summary="Lift a bar")
def lift_bar(
    principal: ThePrincipal, rules: ThePortRules, prefix: str, reason: Reason = ""
) -> api.RulesOutcome:
    return present_outcome(rules.lift_bar(parse_address_or_prefix(prefix), Author(principal.name, reason)))
