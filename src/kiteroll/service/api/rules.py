"""Rules of ports: seats, watching, rolls, and the roll call."""

from fastapi import APIRouter, Response

from kiteroll.core.errors import NotFound
from kiteroll.core.rules import Enrolled
from kiteroll.schemas import api
from kiteroll.service.api.common import ERRORS, Running, port_id
from kiteroll.service.life import Service
from kiteroll.service.rolls import roll_call
from kiteroll.store import inventory, rules
from kiteroll.store.rules import Level, RuleRow

router = APIRouter(tags=["rules"], responses=ERRORS)


@router.get("/rules", summary="What is said of the ports of groups, of switches and of single ports")
def list_rules(service: Running) -> list[api.PortRules]:
    return [_answer(row) for row in service.database.run(rules.all_rules)]


@router.put("/rules", summary="Set seats and watching at one level; null leaves it to the level above")
def set_rule(service: Running, new: api.NewRule) -> list[api.PortRules]:
    service.database.run(rules.set_rule, _level(service, new), new.seats, new.watched)
    return list_rules(service)


@router.post("/rules/roll", status_code=201, summary="Enrol an address, or all that begin so")
def enrol(service: Running, new: api.NewEntry) -> list[api.PortRules]:
    entry = Enrolled(new.prefix, new.vlan)
    now = service.clock.now()
    service.database.run(rules.enrol, _level(service, new), entry, new.note, new.by, now)
    return list_rules(service)


@router.delete("/rules/roll/{number}", status_code=204, summary="Strike an entry off its roll")
def strike_off(service: Running, number: int) -> Response:
    service.database.run(rules.strike, number)
    return Response(status_code=204)


@router.get("/switches/{name}/rollcall/{port:path}", summary="Who is on a port, beside who may be")
def get_roll_call(service: Running, name: str, port: str) -> api.RollCall:
    port_id(service, name, port)
    return roll_call(service, name, port)


def _level(service: Service, given: api.RuleLevel) -> Level:
    """Raises NotFound for a group, a switch or a port that is not there."""
    if given.group is not None:
        rows = service.database.run(inventory.all_switches)
        if not any(given.group in row.in_groups for row in rows):
            raise NotFound("group", given.group, "no switch is in it")
        return Level(group=given.group)
    switch = given.switch or ""
    if given.port is None:
        return Level(switch=service.database.run(inventory.get_switch, switch).name)
    port_id(service, switch, given.port)
    return Level(switch=switch, port=given.port)


def _answer(row: RuleRow) -> api.PortRules:
    level = row.level
    return api.PortRules(
        group=level.group or None,
        switch=level.switch or None,
        port=level.port or None,
        seats=row.seats,
        watched=row.watched,
        roll=[
            api.RollEntry(id=one.id, prefix=one.prefix, vlan=one.vlan, note=one.note, by=one.by, at=one.at)
            for one in row.roll
        ],
    )
