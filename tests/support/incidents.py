"""What the story of the lab is to yield in a cluster under attack: each incident once, none invented."""

from collections.abc import Iterable

from kiteroll.core.model.mac import MacAddress
from kiteroll.lab import story
from kiteroll.schemas.api import Finding

_READ_BY_S = 90.0
"""After an incident: what is attacked may read it late."""
_DUE: tuple[tuple[float, tuple[str, str]], ...] = (
    (45, ("moved", "laptop-1")),
    (120, ("moved", "cradle-9")),
    (180, ("switch-restarted", "weighbridge")),
    (300, ("doubled-address", "kiosk-2")),
    (560, ("loop", "baggage-hall")),
)
"""When each happens, in seconds of the story; those that last long enough for it to be read while a collector
is away, and that need no rules of ports."""
_OF_THE_ATTACKS = frozenset(
    {
        *("switch-not-read", "switches-not-read", "site-not-read", "database-away", "worker-failed"),
        "disk-filling",  # of the machine it runs on
    }
)


def problems(reported: Iterable[Finding], age_s: float) -> list[str]:
    """What is wrong with the findings when the story is `age_s` seconds old."""
    about = {}
    for one in reported:
        mac = None if one.mac is None else MacAddress.parse(one.mac)
        about[one.kind, story.subject_name(one.kind, mac, one.switch or "")] = one
    found = []
    for at_s, incident in _DUE:
        if incident not in about and at_s + _READ_BY_S <= age_s:
            found.append(f"not reported: {' '.join(incident)}, {age_s - at_s:.0f} s after it happened")
    for incident, one in about.items():
        if incident[0] in _OF_THE_ATTACKS or one.part_of is not None:
            continue
        if incident not in story.FINDINGS | story.LIVE_FINDINGS:
            found.append(f"invented: {one.title}")
        elif one.times_opened > 1:
            found.append(f"reported {one.times_opened} times: {one.title}")
    return found
