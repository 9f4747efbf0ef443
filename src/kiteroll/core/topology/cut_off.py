"""Which switches cannot answer, since one on the way to them does not answer either."""

from collections import defaultdict
from collections.abc import Collection

from kiteroll.core.topology.roles import Topology


def cut_off(topology: Topology, silent: Collection[str], answering: Collection[str]) -> dict[str, str]:
    """By switch of those that are silent: the one on the way to it that is next to a switch which answers.
    Those that are next to one themselves are left out, and those of which no way is known."""
    if len(silent) < 2:
        return {}
    next_to: dict[str, set[str]] = defaultdict(set)
    for (switch, _), role in topology.roles().items():
        for other in role.adjacent:
            next_to[switch].add(other)
            next_to[other].add(switch)
    unreached = set(silent)
    nearest = sorted(one for one in unreached if not next_to[one].isdisjoint(answering))
    unreached.difference_update(nearest)
    found: dict[str, str] = {}
    queue = [(one, one) for one in nearest]
    for switch, first in queue:  # grows while it is gone through
        for other in sorted(next_to[switch] & unreached):
            found[other] = first
            queue.append((other, first))
        unreached -= next_to[switch]
    return found
