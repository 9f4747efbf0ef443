"""Calls about rules of ports: setting, enrolling, barring, windows, roll calls and rehearsals."""

from dataclasses import replace
from typing import Any

from pydantic import BaseModel, TypeAdapter

from kiteroll.client.request import ApiListRequest, ApiRequest, get_list, get_request, part
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

_OUTCOME: TypeAdapter[api.RulesOutcome] = TypeAdapter(api.RulesOutcome)
_PATIENCE_S = 120.0
"""Lists of ten thousand lines, and roll calls of a whole network."""


def _post(path: str, body: BaseModel, answer: TypeAdapter[Any], method: str = "POST") -> ApiRequest[Any]:
    plain = body.model_dump(mode="json", exclude_unset=True)
    return ApiRequest(method=method, path=path, body=plain, answer=answer, patience_s=_PATIENCE_S)


def rules() -> ApiListRequest[api.PortRules]:
    """What is set at each level, wide levels first."""
    return get_list("/rules", TypeAdapter(PageOf[api.PortRules]))


def change_rules(patch: api.RulesPatch) -> ApiRequest[api.RulesOutcome]:
    """Set values at any number of levels, as one change."""
    return _post("/rules", patch, _OUTCOME, "PATCH")


def enrol(new: api.NewEntry) -> ApiRequest[api.RulesOutcome]:
    """Enrol an address or a prefix on the roll of a level."""
    return _post("/rules/roll", new, _OUTCOME)


def enrol_list(new: api.NewEntries) -> ApiRequest[api.RulesOutcome]:
    """Enrol a CSV list; all of it or nothing."""
    return _post("/rules/roll/list", new, _OUTCOME)


def enrol_present(new: api.EnrolPresent) -> ApiRequest[api.RulesOutcome]:
    """Enrol everybody present now, each at their port."""
    return _post("/rules/roll/present", new, _OUTCOME)


def replace_entry(number: int, new: api.EntryReplacement) -> ApiRequest[api.RulesOutcome]:
    """Another device stands in for an enrolled one."""
    return _post(f"/rules/roll/{number}/replace", new, _OUTCOME)


def strike_off(number: int, *, reason: str = "") -> ApiRequest[api.RulesOutcome]:
    params = {"reason": reason}
    return ApiRequest(method="DELETE", path=f"/rules/roll/{number}", params=params, answer=_OUTCOME)


def rules_file() -> ApiRequest[api.RulesText]:
    """All rules as TOML."""
    return get_request("/rules/file", TypeAdapter(api.RulesText))


def apply_rules_file(file: api.RulesFile) -> ApiRequest[api.RulesOutcome]:
    """Make the rules what a TOML file says; with `dry_run`, show what that would change."""
    return _post("/rules/file", file, _OUTCOME, "PUT")


def rule_log(
    *, switch: str | None = None, port: str | None = None, address: str | None = None, limit: int = 100
) -> ApiListRequest[api.RuleEvent]:
    """Who changed what of the rules, latest first."""
    given = {"switch": switch, "port": port, "address": address, "limit": limit}
    return get_list("/rules/log", TypeAdapter(PageOf[api.RuleEvent]), **given)


def enrolment_of(mac: str) -> ApiRequest[api.EnrolmentOf]:
    """Where an endpoint may be, by every roll, and whether it is barred."""
    return get_request(f"/endpoints/{part(mac)}/enrolment", TypeAdapter(api.EnrolmentOf))


def barred() -> ApiListRequest[api.BarredEntry]:
    return get_list("/barred", TypeAdapter(PageOf[api.BarredEntry]))


def bar(new: api.NewBarred) -> ApiRequest[api.RulesOutcome]:
    return _post("/barred", new, _OUTCOME)


def lift_bar(prefix: str, *, reason: str = "") -> ApiRequest[api.RulesOutcome]:
    params = {"reason": reason}
    return ApiRequest(method="DELETE", path=f"/barred/{part(prefix)}", params=params, answer=_OUTCOME)


def enrolment_windows() -> ApiListRequest[api.EnrolmentWindow]:
    return get_list("/enrolment-windows", TypeAdapter(PageOf[api.EnrolmentWindow]))


def open_window(new: api.NewWindow) -> ApiRequest[api.EnrolmentWindow]:
    return _post("/enrolment-windows", new, TypeAdapter(api.EnrolmentWindow))


def close_window(number: int) -> ApiRequest[api.EnrolmentWindow]:
    answer = TypeAdapter(api.EnrolmentWindow)
    return ApiRequest(method="POST", path=f"/enrolment-windows/{number}/close", answer=answer)


def candidates(number: int) -> ApiListRequest[api.Candidate]:
    """Who was present in a window, and what was decided on them."""
    return get_list(f"/enrolment-windows/{number}/candidates", TypeAdapter(PageOf[api.Candidate]))


def decide(number: int, decisions: api.Decisions) -> ApiRequest[api.RulesOutcome]:
    """Enrol candidates, and keep who was refused."""
    return _post(f"/enrolment-windows/{number}/decisions", decisions, _OUTCOME)


def roll_call(switch: str, port: str) -> ApiRequest[api.RollCall]:
    """Who is on a port, beside who may be."""
    return get_request(f"/switches/{part(switch)}/ports/{part(port)}/roll-call", TypeAdapter(api.RollCall))


def roll_calls(
    level: api.RuleLevel | None = None,
    *,
    broken: bool = False,
    without_rule: bool = False,
    cursor: str | None = None,
    limit: int = 500,
) -> ApiRequest[api.RollCallPage]:
    """Ports that have a rule, in order of switch and port, and the sums over all of them."""
    given = {"broken": broken, "without_rule": without_rule, "cursor": cursor, "limit": limit}
    request = get_request("/roll-call", TypeAdapter(api.RollCallPage), **_level(level), **given)
    return _patient(request)


def absent(level: api.RuleLevel | None = None) -> ApiListRequest[api.AbsentEntry]:
    """Who is enrolled, and present nowhere where they may be."""
    request = get_list("/roll-call/absent", TypeAdapter(PageOf[api.AbsentEntry]), **_level(level))
    return replace(request, patience_s=_PATIENCE_S)


def call_against(expected: api.ExpectedList) -> ApiRequest[PageOf[api.AttendedDevice]]:
    """A CSV list of expected devices beside the network, both ways."""
    return _post("/roll-call/against", expected, TypeAdapter(PageOf[api.AttendedDevice]))


def ports_by_use(
    *, unused_days: float = 30, switch: str | None = None, group: str | None = None
) -> ApiListRequest[api.PortByUse]:
    """Ports that are unused, silent, slow or half duplex."""
    given = {"unused_days": unused_days, "switch": switch, "group": group}
    request = get_list("/ports-by-use", TypeAdapter(PageOf[api.PortByUse]), **given)
    return replace(request, patience_s=_PATIENCE_S)


def rehearsals() -> ApiListRequest[api.RehearsalRun]:
    return get_list("/rehearsals", TypeAdapter(PageOf[api.RehearsalRun]))


def begin_rehearsal(new: api.NewRehearsal) -> ApiRequest[api.RehearsalRun]:
    """Rehearse rules over the recorded past; answers at once, `rehearsal` shows how far it is."""
    return _post("/rehearsals", new, TypeAdapter(api.RehearsalRun))


def rehearsal(number: int, *, breaches: int = 500) -> ApiRequest[api.RehearsalRun]:
    return get_request(f"/rehearsals/{number}", TypeAdapter(api.RehearsalRun), breaches=breaches)


def rehearsed_seats(number: int) -> ApiListRequest[api.SeatSuggestion]:
    """How many endpoints each port carried, those that carried most first; of a rehearsal that is done."""
    return get_list(f"/rehearsals/{number}/seats", TypeAdapter(PageOf[api.SeatSuggestion]))


def cancel_rehearsal(number: int) -> ApiRequest[api.RehearsalRun]:
    answer = TypeAdapter(api.RehearsalRun)
    return ApiRequest(method="POST", path=f"/rehearsals/{number}/cancel", answer=answer)


def _level(level: api.RuleLevel | None) -> dict[str, Any]:
    return {} if level is None else level.model_dump(exclude_none=True)


def _patient(request: ApiRequest[Any]) -> ApiRequest[Any]:
    return replace(request, patience_s=_PATIENCE_S)
