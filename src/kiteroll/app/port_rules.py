"""Rules of ports: setting and enrolling. What breaks them is found by the finding engine."""

from kiteroll.app.events import EventBus, RulesChanged
from kiteroll.clock import Clock
from kiteroll.core.errors import NotFound
from kiteroll.core.policy.port_rules import Enrolled, Level
from kiteroll.store import inventory, ports, rules
from kiteroll.store.database import Database
from kiteroll.store.rules import RuleRow

__all__ = ["PortRules", "RuleRow"]


class PortRules:
    def __init__(self, database: Database, clock: Clock, bus: EventBus) -> None:
        self._database = database
        self._clock = clock
        self._bus = bus

    def all(self) -> list[RuleRow]:
        return self._database.run(rules.all_rules)

    def set_rule(self, level: Level, seats: int | None, watched: bool | None) -> None:
        """None inherits. Raises NotFound for a group, a switch or a port that is not there."""
        self._check(level)
        self._database.run(rules.set_rule, level, seats, watched)
        self._bus.publish(RulesChanged())

    def enrol(self, level: Level, entry: Enrolled, note: str, by: str) -> None:
        """Raises NotFound for a group, a switch or a port that is not there."""
        self._check(level)
        self._database.run(rules.enrol, level, entry, note, by, self._clock.now())
        self._bus.publish(RulesChanged())

    def strike_off(self, number: int) -> None:
        """Remove an entry of a roll. Raises NotFound."""
        self._database.run(rules.strike_off, number)
        self._bus.publish(RulesChanged())

    def _check(self, level: Level) -> None:
        if level.group:
            rows = self._database.run(inventory.all_switches)
            if not any(level.group in row.in_groups for row in rows):
                raise NotFound("group", level.group, "no switch is in it")
            return
        row = self._database.run(inventory.get_switch, level.switch)
        if level.port and level.port not in self._database.run(ports.port_ids, row.id):
            hint = f"`kiteroll port list --switch {level.switch}` shows the ports of {level.switch}"
            raise NotFound("port", level.port, hint)
