"""Rules of ports while the service runs: what breaks them now, and the roll call of a port."""

import threading
from collections.abc import Iterable
from dataclasses import replace
from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from kiteroll.core.findings.model import Sign
from kiteroll.core.findings.rolls import breaches
from kiteroll.core.mac import MacAddress
from kiteroll.core.reading import mac_of, vlan_of
from kiteroll.core.rules import Enrolled, RuleBook
from kiteroll.core.topology import At, Role, Topology
from kiteroll.schemas import api
from kiteroll.store import inventory, rules

if TYPE_CHECKING:
    from kiteroll.service.life import Service

_WHOLE = 12


class Rolls:
    def __init__(self, service: "Service") -> None:
        self._service = service
        self._lock = threading.Lock()
        self._book = RuleBook()
        self._broken: dict[str, dict[str, Sign]] = {}
        """By switch, as of its latest reading: what breaks the rules, by key."""

    def renew(self, now: datetime) -> None:
        """Take up rules that changed, and judge every switch by them. Raises StorageUnavailable."""
        known = set(self._service.intake.switches.values())
        book = self._service.database.run(rules.rule_book)
        with self._lock:
            changed, self._book = book != self._book, book
            for gone in self._broken.keys() - known:
                del self._broken[gone]
        if changed:
            self.look(known, now)

    def look(self, switches: Iterable[str], now: datetime) -> None:
        """Judge these switches, whose tables are new. Raises StorageUnavailable."""
        with self._lock:
            names = set(switches) & set(self._service.intake.switches.values())
            if not names:
                return
            topology = self._service.topology.get().topology
            bridges = _bridges(self._service)
            for name in names:
                self._look(name, topology, bridges, now)

    def signs(self, now: datetime, lasts: timedelta) -> list[Sign]:
        """What breaks the rules for that long, each as of `now`: so it is until another reading says
        otherwise."""
        with self._lock:
            lasting = [
                sign
                for each in self._broken.values()
                for sign in each.values()
                if now - sign.first_at >= lasts
            ]
        return [replace(sign, last_at=now) for sign in lasting]

    def _look(self, name: str, topology: Topology, bridges: set[MacAddress], now: datetime) -> None:
        before = self._broken.get(name, {})
        table = self._service.intake.tracker.table(name)
        broken = breaches(
            name,
            table,
            self._book,
            exempt=lambda at: _leads_on(topology, at),
            switches=bridges,
            now=now,
        )
        found = {
            sign.key: replace(sign, first_at=before[sign.key].first_at) if sign.key in before else sign
            for sign in broken
        }
        if found:
            self._broken[name] = found
        else:
            self._broken.pop(name, None)


def _bridges(service: "Service") -> set[MacAddress]:
    """Addresses of switches: they take no seats."""
    return {mac for _, mac in service.database.run(inventory.bridge_addresses)}


def _leads_on(topology: Topology, at: At) -> bool:
    return topology.role(at).role is Role.UPLINK


def roll_call(service: "Service", switch: str, port: str) -> api.RollCall:
    """Who is on a port, beside who may be."""
    book = service.database.run(rules.rule_book)
    rule = book.rule((switch, port))
    table = service.intake.tracker.table(switch)
    bridges = _bridges(service)
    keys = sorted(
        key
        for key, number in table.learned.items()
        if table.names.get(number) == port and mac_of(key) not in bridges
    )
    present = {mac_of(key).digits for key in keys}
    exempt = _leads_on(service.topology.get().topology, (switch, port))
    judged = replace(rule, seats=None, watched=False) if exempt else rule
    return api.RollCall(
        switch=switch,
        port=port,
        exempt=exempt,
        seats=rule.seats,
        taken=len(present),
        overfull=judged.overfull(len(present)),
        watched=rule.watched,
        roll=[_text(one) for one in rule.roll],
        present=[
            api.Attendance(
                mac=mac_of(key),  # type: ignore[arg-type]  # the model turns it into text
                vlan=vlan_of(key),
                standing=judged.standing(mac_of(key), vlan_of(key)).value,
            )
            for key in keys
        ],
        absent=[_text(one) for one in rule.roll if len(one.prefix) == _WHOLE and one.prefix not in present],
    )


def _text(one: Enrolled) -> str:
    digits = ":".join(one.prefix[at : at + 2] for at in range(0, len(one.prefix), 2))
    return digits if one.vlan is None else f"{digits} in VLAN {one.vlan}"
