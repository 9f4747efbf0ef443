"""Which ports were uplinks, and when: what the places of stays that are over were."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import UTC, datetime, timedelta

from kiteroll.core.model.port_ref import PortRef
from kiteroll.core.model.stay import Stay
from kiteroll.core.topology.roles import PortRole, Role

ROLE_KNOWN_AFTER = timedelta(minutes=2)
"""Where a new port leads is known some time after the first addresses there."""

ROLE_LOST_AFTER = timedelta(seconds=30)
"""That a port leads there no more is known some seconds after the reading that shows others there."""

FIRST_PICTURE_AFTER = timedelta(minutes=10)
"""Where ports lead is known some readings after a service begins."""

Times = Sequence[tuple[datetime, datetime | None]]
"""[from, until), in order; None: it still is so."""


class PastRoles:
    def __init__(self, uplinks: Mapping[PortRef, Times], recorded_since: datetime | None = None) -> None:
        """`uplinks`: when each port counted as an uplink; `recorded_since`: from when on that is recorded,
        and before which it is taken to have been as it was then."""
        self._uplinks = {port: _from_the_beginning(times, recorded_since) for port, times in uplinks.items()}

    def knows(self, port: PortRef) -> bool:
        """Whether it ever was an uplink."""
        return port in self._uplinks

    def access_times(
        self, port: PortRef, began: datetime, ended: datetime | None
    ) -> Iterator[tuple[datetime, datetime | None]]:
        """What is left of [began, ended) without the times in which the port was an uplink."""
        since: datetime | None = began
        for uplink_at, access_at in self._uplinks.get(port, ()):
            if since is None or (access_at is not None and access_at <= since):
                continue
            if ended is not None and uplink_at >= ended:
                break
            if uplink_at - since > ROLE_KNOWN_AFTER:
                yield since, uplink_at
            since = access_at
        if since is not None and (ended is None or since < ended):
            yield since, ended

    def was_access(self, stay: Stay) -> bool:
        """Whether the port of a stay was an access port for some of it."""
        port = (stay.place.switch, stay.place.port)
        return any(self.access_times(port, stay.began_at, stay.ended_at))

    def was_uplink_throughout(self, port: PortRef, begin: datetime, end: datetime) -> bool:
        """Whether a port was an uplink all the time between two instants."""
        return any(
            uplink_at <= begin and (access_at is None or access_at > end)
            for uplink_at, access_at in self._uplinks.get(port, ())
        )

    def was_access_at(self, stay: Stay, at: datetime) -> bool:
        """Whether a stay was there at an instant, and its port an access port then."""
        port = (stay.place.switch, stay.place.port)
        times = self.access_times(port, stay.began_at, stay.ended_at)
        return any(began <= at and (ended is None or at < ended) for began, ended in times)

    def role(self, port: PortRef, began: datetime, ended: datetime, role_now: PortRole) -> PortRole:
        """Of the port in [began, ended). Where it was an uplink all the time, and is none now, nobody knows
        any more where it led."""
        was_access = any(self.access_times(port, began, ended))
        if was_access is not role_now.is_uplink:
            return role_now
        return PortRole(Role.ACCESS) if was_access else replace(role_now, role=Role.UPLINK)


def _from_the_beginning(times: Times, recorded_since: datetime | None) -> Times:
    if not times or recorded_since is None or times[0][0] > recorded_since + FIRST_PICTURE_AFTER:
        return times
    return [(datetime.min.replace(tzinfo=UTC), times[0][1]), *times[1:]]
