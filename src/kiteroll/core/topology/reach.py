"""Which switches are behind each port, by the cables between neighbours."""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence

from kiteroll.core.model.port_ref import PortRef

Ends = Mapping[str, Sequence[tuple[PortRef, Iterable[str]]]]
"""By switch: its ports with an open cable, and the switches at the far end of each."""


def reach(ends: Ends) -> dict[PortRef, set[str]]:
    """From each switch the shortest path to every other. Of two ports that are equally near, it is behind
    the one that is named first."""
    beyond = {switch: [other for _, others in ports for other in others] for switch, ports in ends.items()}
    found: dict[PortRef, set[str]] = defaultdict(set)
    for start, ports in ends.items():
        known = {start}
        queue: list[tuple[str, set[str]]] = []
        for port, others in ports:
            for other in others:
                if other not in known:
                    known.add(other)
                    found[port].add(other)
                    queue.append((other, found[port]))
        for here, behind in queue:  # grows while it is gone through
            for other in beyond.get(here, ()):
                if other not in known:
                    known.add(other)
                    behind.add(other)
                    queue.append((other, behind))
    return found
