"""Actions on ports, as the API takes and shows them."""

from datetime import datetime, timedelta

from kiteroll.app.port_actions.actor import Order
from kiteroll.app.port_actions.planner import ActionPlan
from kiteroll.app.port_actions.proposals import ProposalRow
from kiteroll.app.port_actions.sweeps import Sweep
from kiteroll.app.queries.actions import ActionRow
from kiteroll.app.queries.endpoints import EndpointView
from kiteroll.core.policy.port_rules import PortRule
from kiteroll.core.port_actions.actions import ActionKind, Wanted
from kiteroll.core.port_actions.ageing_advice import AgeingAdvice
from kiteroll.core.port_actions.guards import Guard
from kiteroll.schemas import api
from kiteroll.wording.port_actions import advice_text, objection_text, rule_text


def read_wanted(new: api.NewAction) -> Wanted:
    """Raises Invalid."""
    value = ""
    if new.alias is not None:
        value = new.alias.strip()
    elif new.ageing_time_s is not None:
        value = str(new.ageing_time_s)
    return Wanted(kind=ActionKind(new.kind), switch=new.switch, port=new.port, value=value)


def read_order(new: api.NewAction, by: str, via: str, client: str) -> Order:
    return Order(
        reason=new.reason,
        asked_by=by,
        via=via,
        client=client,
        overrides=frozenset(map(Guard, new.overrides)),
        reopen_after=timedelta(seconds=new.reopen_after_s),
    )


def present_plan(plan: ActionPlan, rule: PortRule | None) -> api.ActionPlan:
    return api.ActionPlan(
        kind=plan.wanted.kind.value,
        switch=plan.wanted.switch,
        port=plan.wanted.port,
        object=plan.write.name,
        was=plan.write.was,
        to=plan.write.to,
        credential=plan.credential,
        present=[_endpoint(one) for one in plan.present],
        present_count=plan.present_count,
        objections=[
            api.Objection(guard=one.guard.value, text=objection_text(one)) for one in plan.objections
        ],
        changes_nothing=plan.changes_nothing,
        rule="" if rule is None else rule_text(rule),
    )


def present_action(row: ActionRow) -> api.Action:
    return api.Action(
        id=row.id,
        kind=row.kind.value,
        switch=row.switch,
        port=row.port,
        object=row.write.name,
        was=row.write.was,
        to=row.write.to,
        state=row.state.value,
        outcome=row.outcome,
        reason=row.reason,
        asked_by=row.asked_by,
        via=row.via,
        overridden=list(row.overridden),
        present=list(row.present),
        began_at=row.began_at,
        ended_at=row.ended_at,
    )


def present_proposal(row: ProposalRow) -> api.Proposal:
    return api.Proposal(
        id=row.id,
        switch=row.switch,
        port=row.port,
        finding=row.finding,
        why=row.why,
        note=row.note,
        reopen_after_s=row.reopen_after_s,
        proposed_at=row.proposed_at,
        expires_at=row.expires_at,
        state=row.state,  # type: ignore[arg-type]  # written from the same set
        decided_at=row.decided_at,
        decided_by=row.decided_by,
        action=row.action,
    )


def present_stopped(stopped: tuple[datetime, str] | None) -> api.ClosingStopped | None:
    return None if stopped is None else api.ClosingStopped(since=stopped[0], why=stopped[1])


def present_sweep(one: Sweep) -> api.Sweep:
    return api.Sweep(
        id=one.number,
        networks=list(one.asked),
        addresses=one.addresses,
        sent=one.sent,
        switches=list(one.switches),
        read=one.read,
        not_read=list(one.not_read),
        state=one.state,  # type: ignore[arg-type]  # from the same set
        error=one.error,
        appeared=[api.Appeared(switch=name, mac=str(mac)) for name, mac in one.appeared],
        by=one.by,
        began_at=one.began_at,
        ended_at=one.ended_at,
    )


def present_advice(switch: str, advice: AgeingAdvice) -> api.AgeingAdvice:
    facts = advice.facts
    return api.AgeingAdvice(
        switch=switch,
        ageing_s=None if facts.ageing is None else int(facts.ageing.total_seconds()),
        advice=advice.advice.value,
        advised_s=advice.seconds,
        text=advice_text(advice),
        endpoints=facts.endpoints,
        talk_seldom=round(advice.talk_seldom, 4),
        table_use=None if advice.table_use is None else round(advice.table_use, 4),
        learning_discards=facts.discards,
    )


def _endpoint(one: EndpointView) -> api.PresentEndpoint:
    return api.PresentEndpoint(
        mac=str(one.mac),
        label=one.record.label.label,
        names=list(one.record.names),
        ips=list(one.record.ips),
        maker=one.maker,
    )
