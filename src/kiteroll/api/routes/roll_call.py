"""The roll call of many ports, a list of devices beside the network, and ports by use."""

from collections.abc import Iterator
from datetime import timedelta
from typing import Annotated, Literal

from fastapi import APIRouter, Query
from fastapi.responses import HTMLResponse
from pydantic import ValidationError

from kiteroll.api.contract.pages import PageAsk, by, page, page_by_group
from kiteroll.api.dependencies import TheClock, ThePortUse, TheRollCalls
from kiteroll.api.parameters import Limit
from kiteroll.api.presenters.rules import (
    level_of,
    present_absent,
    present_attended,
    present_called_port,
    present_totals,
)
from kiteroll.api.report.page import served
from kiteroll.api.report.roll_call_report import roll_call_report
from kiteroll.core.errors import Invalid, sentence
from kiteroll.core.policy.levels import Level
from kiteroll.model_errors import problems_of
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

router = APIRouter(tags=["roll call"])
_MAX_ON_PAPER = 5_000
Group = Annotated[str | None, Query(max_length=64, description="ports of the switches of a group")]
Switch = Annotated[str | None, Query(max_length=64)]
Ports = Annotated[str | None, Query(max_length=255, description="a range of ports of the switch: p1-p20")]
Port = Annotated[str | None, Query(max_length=255)]
Broken = Annotated[bool, Query(description="only ports at which a rule is broken")]


def _level(group: str | None, switch: str | None, ports: str | None, port: str | None) -> Level:
    given = {"group": group, "switch": switch, "ports": ports, "port": port}
    try:
        level = api.RuleLevel(**{name: value for name, value in given.items() if value is not None})
    except ValidationError as wrong:
        raise Invalid(sentence(problems_of(wrong))) from wrong
    return level_of(level)


@router.get("/roll-call", summary="Who is present beside who may be: ports that have a rule, and the sums")
def get_roll_calls(
    roll_calls: TheRollCalls,
    group: Group = None,
    switch: Switch = None,
    ports: Ports = None,
    port: Port = None,
    broken: Broken = False,
    without_rule: Annotated[bool, Query(description="ports without a rule too")] = False,
    cursor: Annotated[str | None, Query(max_length=20, description="`next` of the page before")] = None,
    limit: Limit = 100,
) -> api.RollCallPage:
    view = roll_calls.all(
        _level(group, switch, ports, port),
        broken=broken,
        without_rule=without_rule,
        ask=PageAsk(cursor, limit),
    )
    return api.RollCallPage(
        totals=present_totals(view.totals),
        items=[present_called_port(one) for one in view.ports],
        next=view.next,
    )


@router.get("/roll-call/absent", summary="Who is enrolled, and present nowhere where they may be")
def list_absent(
    ask: Annotated[PageAsk, by("address", "level", "owner", "seen_at")],
    roll_calls: TheRollCalls,
    group: Group = None,
    switch: Switch = None,
    ports: Ports = None,
    port: Port = None,
) -> PageOf[api.AbsentEntry]:
    rows = [present_absent(one) for one in roll_calls.absent(_level(group, switch, ports, port))]
    return page(rows, ask, "id")


@router.post("/roll-call/against", summary="A list of expected devices beside the network, both ways")
def call_against(roll_calls: TheRollCalls, expected: api.ExpectedList) -> PageOf[api.AttendedDevice]:
    found = roll_calls.against_list(expected.text, level_of(expected.level))
    return PageOf(items=[present_attended(one) for one in found])


@router.get("/roll-call/report", summary="The roll call on one printable page", response_class=HTMLResponse)
def roll_call_report_page(
    roll_calls: TheRollCalls,
    clock: TheClock,
    group: Group = None,
    switch: Switch = None,
    ports: Ports = None,
    port: Port = None,
    broken: Broken = False,
) -> HTMLResponse:
    level = _level(group, switch, ports, port)
    view = roll_calls.all(level, broken=broken, without_rule=False, ask=PageAsk(limit=_MAX_ON_PAPER))
    html = roll_call_report(
        str(level),
        present_totals(view.totals),
        [(present_called_port(one), one.occupancy.occupants) for one in view.ports],
        [present_absent(one) for one in roll_calls.absent(level)],
        clock.now(),
        cut=view.next is not None,
    )
    return served(html)


@router.get("/ports-by-use", summary="Ports that are not used as they could be")
def list_ports_by_use(
    ask: Annotated[PageAsk, by("switch", "port", "what", "since")],
    use: ThePortUse,
    unused_days: Annotated[float, Query(gt=0, le=400, description="unused for so long")] = 30,
    switch: Switch = None,
    group: Group = None,
    what: Annotated[list[Literal["unused", "silent", "slow", "half duplex"]] | None, Query()] = None,
) -> PageOf[api.PortByUse]:
    def rows(first: str | None) -> Iterator[api.PortByUse]:
        for one in use.by_use(timedelta(days=unused_days), switch, group, first):
            if what is None or one.use.value in what:
                yield api.PortByUse(
                    switch=one.port[0],
                    port=one.port[1],
                    alias=one.alias,
                    what=one.use.value,
                    since=one.since,
                    why=one.why,
                )

    return page_by_group(rows, ask, "switch", "port", "what")
