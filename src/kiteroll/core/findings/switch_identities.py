"""Whether a switch is the one it was: its bridge address, and the names of its ports."""

from collections.abc import Iterable, Sequence
from datetime import datetime

from kiteroll.core.findings.facts import FactSource
from kiteroll.core.findings.finding import Detection
from kiteroll.core.findings.kinds import switch_replaced
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.model.changes import Change
from kiteroll.core.model.device_identity import is_another_device
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.tracking.switch_health import SwitchCondition


class SwitchIdentities:
    def __init__(self, conditions: Iterable[SwitchCondition], thresholds: Thresholds) -> None:
        """`conditions`: of the switches as they were before the first reading to be judged."""
        self._thresholds = thresholds
        self._addresses = {one.name: one.bridge_address for one in conditions}

    def detect(
        self,
        switch: str,
        address: MacAddress | None,
        changes: Sequence[Change],
        at: datetime,
        facts: FactSource,
    ) -> list[Detection]:
        """By one reading: the bridge address in it, and what changed."""
        found = []
        before = self._addresses.get(switch)
        if address is not None:
            self._addresses[switch] = address
            if before is not None and is_another_device(before, address):
                found.append(switch_replaced.replaced(switch, before, address, at))
        if len(changes) >= self._thresholds.moved_together:
            names = {name for number, name in facts.table(switch).names.items() if number > 0}
            renamed = switch_replaced.renamed(switch, changes, names, self._thresholds, at)
            found += [renamed] if renamed is not None else []
        return found

    def retain(self, switches: Iterable[str]) -> None:
        """Drop switches that left the inventory."""
        for name in self._addresses.keys() - set(switches):
            del self._addresses[name]
