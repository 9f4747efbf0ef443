"""How a simulated switch differs from a plain one: each of these is seen in the field."""

from dataclasses import dataclass, field


@dataclass(frozen=True, slots=True, kw_only=True)
class Traits:
    # What its tables look like
    database_offset: int = 0
    """Added to the VLAN to make the filtering database id."""
    shared_database: int = 0
    """When not 0: all VLANs share the database of this id."""
    maps_databases: bool = True
    """Whether dot1qVlanFdbId is offered."""
    bridge_port_offset: int = 0
    """Added to the interface's number to make the bridge port's."""
    maps_ports: bool = True
    """Whether dot1dBasePortIfIndex is offered."""
    vlan_table: bool = True
    """Whether the VLAN-aware table (dot1qTpFdbTable) is offered."""
    old_table: bool = True
    """Whether dot1dTpFdbTable is offered."""
    status_column: bool = True
    length_in_index: bool = False
    """Writes the length of the address before it in the index."""
    unmapped_ports: frozenset[int] = frozenset()
    """Interfaces whose bridge port has no mapping."""
    zero_ports: frozenset[int] = frozenset()
    """Interfaces for which the table says port 0."""
    aggregate: frozenset[int] = frozenset()
    """Interfaces bundled into one aggregate port; addresses are learned on that."""
    views: str = ""
    """Template with {vlan}: the old table is offered one VLAN at a time, under that community (or
    SNMPv3 context where the agent speaks SNMPv3)."""
    time_filter_marks: int = 1
    """Under how many time marks dot1qVlanCurrentTable offers its rows again."""

    # How its agent behaves
    delay_s: float = 0.0
    loss: float = 0.0
    """Share of requests that stay unanswered."""
    loops_in: tuple[int, ...] = ()
    """A subtree in which GETNEXT and GETBULK always start over."""
    breaks_off_in: tuple[int, ...] = ()
    """A subtree in which the agent falls silent half-way."""
    most_bindings: int = 0
    """When not 0: more bindings than this are tooBig instead of cut short."""
    refuses_writes: bool = False
    """Says notWritable to every SET."""
    loses_write_answers: bool = False
    """Does what a SET of v2c says, and its answer never arrives."""
    garbage: bool = False
    """Answers are random octets."""
    v3: bool = field(default=False)
    """Speaks SNMPv3 only."""


PLAIN = Traits()
AGGREGATE_INDEX = 2000
"""ifIndex of the one aggregate port."""
