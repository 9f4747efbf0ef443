"""Acting on ports in words: what speaks against it, rules, and advice on the ageing time."""

from datetime import timedelta

from kiteroll.core.policy.port_rules import OnBreach, PortRule
from kiteroll.core.port_actions.ageing_advice import Advice, AgeingAdvice
from kiteroll.core.port_actions.guards import Guard, Objection
from kiteroll.wording.spans import counted, span


def objection_text(one: Objection) -> str:
    match one.guard:
        case Guard.UPLINK:
            return f"it leads to {one.about}" if one.about else "it is set to be an uplink"
        case Guard.BUNDLE:
            return "it is part of a bundle"
        case Guard.BRIDGE:
            return f"a bridge that is not in the inventory is behind it ({one.about})"
        case Guard.ROUTER:
            return f"a router is behind it ({one.about})"
        case Guard.WAY_TO_SERVICE:
            return f"it is the way to {one.about}"
        case Guard.MANY_PORTS:
            return f"{one.about} ports that may be closed in an hour are closed"
        case Guard.SHARE_OF_SWITCH:
            return f"{one.about} ports in use there are closed already"
        case Guard.OLD_DATA:
            since = f"since {one.about}" if one.about else "yet"
            return f"the switch was not read whole {since}: what is known of the port may be over"


def rule_text(rule: PortRule) -> str:
    """What a port's rules hold, and what breaking them does; empty where nothing can be broken."""
    if not rule.sets_something:
        return ""
    parts = []
    if isinstance(rule.seats, int):
        parts.append(counted(rule.seats, "seat"))
    if rule.watched:
        parts.append("watched")
    if rule.vlans is not None:
        parts.append("VLANs " + ", ".join(map(str, sorted(rule.vlans))))
    parts.append(f"on breach: {rule.on_breach}")
    if rule.on_breach in (OnBreach.PROPOSE, OnBreach.CLOSE):
        after = span(rule.reopen_after) if rule.reopen_after else ""
        parts.append(f"reopens after {after}" if after else "a person reopens it")
    return "; ".join(parts)


def advice_text(advice: AgeingAdvice) -> str:
    seldom = f"{advice.talk_seldom:.0%} of {counted(advice.facts.endpoints, 'endpoint')} were forgotten and came back"
    use = "" if advice.table_use is None else f", the table is {advice.table_use:.0%} full"
    match advice.advice:
        case Advice.KEEP:
            advised = "it suits"
        case Advice.LARGER_TABLE:
            advised = "no ageing time suits: the table is full of endpoints that talk seldom"
        case Advice.LONGER:
            advised = f"longer: {span(timedelta(seconds=advice.seconds or 0))} would keep nearly all of them"
        case Advice.SHORTER:
            advised = f"shorter: {span(timedelta(seconds=advice.seconds or 0))}, so that who left makes room"
    return f"{advised} ({seldom}{use})"
