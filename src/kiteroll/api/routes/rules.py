"""Rules of ports: seats, watching and rolls."""

from fastapi import APIRouter, Response

from kiteroll.api.dependencies import ThePortRules
from kiteroll.api.parameters import ERRORS
from kiteroll.api.presenters.switches import present_rule
from kiteroll.core.policy.port_rules import Enrolled, Level
from kiteroll.schemas import api

router = APIRouter(tags=["rules"], responses=ERRORS)


@router.get("/rules", summary="Rules of groups, of switches and of single ports")
def list_rules(rules: ThePortRules) -> list[api.PortRules]:
    return [present_rule(row) for row in rules.all()]


@router.patch("/rules", summary="Set seats and watching at one level; null inherits")
def set_rule(rules: ThePortRules, new: api.NewRule) -> list[api.PortRules]:
    rules.set_rule(_level(new), new.seats, new.watched)
    return list_rules(rules)


@router.post("/rules/roll", status_code=201, summary="Enrol an address or a prefix")
def enrol(rules: ThePortRules, new: api.NewEntry) -> list[api.PortRules]:
    rules.enrol(_level(new), Enrolled(new.prefix, new.vlan), new.note, new.by)
    return list_rules(rules)


@router.delete("/rules/roll/{number}", status_code=204, summary="Strike an entry off its roll")
def strike_off(rules: ThePortRules, number: int) -> Response:
    rules.strike_off(number)
    return Response(status_code=204)


def _level(given: api.RuleLevel) -> Level:
    return Level(group=given.group or "", switch=given.switch or "", port=given.port or "")
