"""Whether a link between switches carries frames, by what its ends report."""

from collections.abc import Collection, Container, Mapping
from enum import StrEnum

from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.reading import Oper


class LinkState(StrEnum):
    CARRYING = "carrying"
    BLOCKED = "blocked"
    """The spanning tree keeps it as a spare."""
    DOWN = "down"


def link_state(
    ends: Collection[PortRef], oper: Mapping[PortRef, str], blocked: Container[PortRef]
) -> LinkState:
    """One end that is down or blocked is enough. `oper`: of known ports; `blocked`: by `shut_ports`."""
    if any(oper.get(end) == Oper.DOWN for end in ends):
        return LinkState.DOWN
    return LinkState.BLOCKED if any(end in blocked for end in ends) else LinkState.CARRYING
