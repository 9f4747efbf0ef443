"""Where an endpoint that is nowhere any more was last."""

from collections.abc import Sequence

from kiteroll.core.model.stay import Stay
from kiteroll.core.topology.past_roles import PastRoles


def last_place(stays: Sequence[Stay], roles: PastRoles) -> Stay:
    """Of its latest stays, which are all over, the one that shows where it was: switches on the way had it
    too, and may have kept it longer than its own. Where it was at no access port meanwhile, the last one."""

    def last(some: Sequence[Stay]) -> Stay:
        return max(some, key=lambda stay: (stay.seen_until(None), stay.ended_at or stay.began_at, stay.id))

    latest = last(stays)
    meanwhile = [stay for stay in stays if stay.ended_at is None or stay.ended_at >= latest.began_at]
    at_access = [stay for stay in meanwhile if roles.was_access(stay)]
    return last(at_access or [latest])
