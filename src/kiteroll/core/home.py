"""Which of the places an endpoint is seen at is the one it attaches to.

An address is learned on every switch its frames cross. On all but one of them the port leads on
to another switch; the place where it does not is the endpoint's home.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from kiteroll.core.stay import Stay


@dataclass(frozen=True, slots=True)
class Sighting:
    stay: Stay
    leads_to: tuple[str, ...]
    """Known switches behind the port, by their own addresses learned there."""


@dataclass(frozen=True, slots=True)
class Home:
    at: Sighting | None
    why: str


def order(sightings: Sequence[Sighting]) -> list[Sighting]:
    """Likeliest home first: access before uplink, present before quiet, later learned first."""
    return sorted(
        sightings,
        key=lambda one: (
            bool(one.leads_to),
            one.stay.ended_at is not None,
            one.stay.last_seen_at is not None,
            -one.stay.began_at.timestamp(),
            one.stay.id,
        ),
    )


def choose_home(sightings: Sequence[Sighting]) -> Home:
    """The home among `sightings`, with the reason in a sentence. Ties go to what was learned later."""
    ordered = order(sightings)
    access = [one for one in ordered if not one.leads_to and one.stay.ended_at is None]
    present = [one for one in access if one.stay.last_seen_at is None]
    if not access:
        if not ordered or all(one.stay.ended_at is not None for one in ordered):
            return Home(None, "it is gone: learned nowhere now")
        behind = sorted({name for one in ordered for name in one.leads_to})
        return Home(
            None,
            f"it is seen only on ports that lead to other switches ({', '.join(behind)}): it hangs on "
            "something that is not read, or has been heard there only in passing",
        )
    home = access[0]
    if len(access) == 1:
        uplinks = len(ordered) - 1
        if uplinks:
            return Home(home, f"every other port it is seen on ({uplinks}) leads to another switch")
        return Home(home, "it is seen nowhere else, and the port leads to no known switch")
    others = ", ".join(str(one.stay.place) for one in access[1:])
    if len(present) == 1:
        return Home(home, f"it is present here; quiet at {others}")
    return Home(home, f"learned here latest; seen also at {others}")
