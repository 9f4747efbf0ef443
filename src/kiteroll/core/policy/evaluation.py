"""Who is present on a port beside who may be: the one evaluation behind findings and the roll call."""

from collections import defaultdict
from collections.abc import Callable, Collection, Iterator
from dataclasses import dataclass, replace
from datetime import datetime

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.mac_table import MacTable
from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.reading import mac_of, vlan_of
from kiteroll.core.policy.port_rules import Enrolled, PortRule, RollStatus, RuleBook

Exempt = Callable[[PortRef], bool]
"""Whether a port is exempt from its rules, as uplinks are."""


@dataclass(frozen=True, slots=True)
class Occupant:
    mac: MacAddress
    vlan: int | None
    status: RollStatus


@dataclass(frozen=True, slots=True)
class PortOccupancy:
    """One port: its rule, and the endpoints present there."""

    port: PortRef
    rule: PortRule
    exempt: bool
    """Uplinks are: their addresses are at home elsewhere."""
    occupants: tuple[Occupant, ...]
    """In order of VLAN and address. Addresses of switches are none."""
    newcomers: frozenset[MacAddress] = frozenset()
    """Of those, the ones that were learned within the last ageing time."""

    @property
    def macs(self) -> list[MacAddress]:
        """Present addresses; one in two VLANs counts once."""
        return sorted({one.mac for one in self.occupants})

    @property
    def overfull(self) -> bool:
        return not self.exempt and self.rule.overfull(len(self.macs))

    @property
    def surely_overfull(self) -> bool:
        """Whether nobody who left can be among them. A switch holds an address for one ageing time after it
        was heard last: who came within that may have taken the place of another."""
        came = len(self.newcomers)
        return self.overfull and (not came or self.rule.overfull(came))

    @property
    def strangers(self) -> tuple[Occupant, ...]:
        return tuple(one for one in self.occupants if one.status is RollStatus.STRANGER)

    @property
    def absent(self) -> list[Enrolled]:
        """Whole addresses on the roll that are not present."""
        present = {mac.digits for mac in self.macs}
        return [entry for entry in self.rule.roll if entry.is_address and entry.prefix not in present]


def evaluate_port(
    port: PortRef, table: MacTable, rule: PortRule, exempt: Exempt, switches: Collection[MacAddress]
) -> PortOccupancy:
    """`switches`: bridge addresses of known switches, which are no endpoints."""
    keys = [key for key, number in table.learned.items() if table.names.get(number) == port[1]]
    return _occupancy(port, keys, rule, exempt, switches, frozenset())


def evaluate_switch(
    switch: str,
    table: MacTable,
    rules: RuleBook,
    exempt: Exempt,
    switches: Collection[MacAddress],
    since: datetime | None = None,
) -> Iterator[PortOccupancy]:
    """Every port of a switch that carries an address and has a rule. `since`: who was learned later is a
    newcomer; None: nobody is."""
    if not rules.concerns(switch):
        return
    by_port: dict[int, list[int]] = defaultdict(list)
    for key, number in table.learned.items():
        by_port[number].append(key)
    newcomers = frozenset(key for key, at in table.recent.items() if since is not None and at > since)
    for number, keys in sorted(by_port.items()):
        name = table.names.get(number)
        if name is None:
            continue
        rule = rules.rule((switch, name))
        if rule.sets_something:
            yield _occupancy((switch, name), keys, rule, exempt, switches, newcomers)


def _occupancy(
    port: PortRef,
    keys: list[int],
    rule: PortRule,
    exempt: Exempt,
    switches: Collection[MacAddress],
    newcomers: frozenset[int],
) -> PortOccupancy:
    lifted = exempt(port)
    judged = replace(rule, watched=False) if lifted else rule
    occupants = tuple(
        Occupant(mac, vlan_of(key), judged.status(mac, vlan_of(key)))
        for key in sorted(keys)
        if (mac := mac_of(key)) not in switches
    )
    here = {one.mac for one in occupants}
    lately = frozenset(mac for key in keys if key in newcomers and (mac := mac_of(key)) in here)
    return PortOccupancy(port, rule, lifted, occupants, lately)
