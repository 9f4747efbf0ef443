"""Where an endpoint was, over time: its homes, when it was quiet, when nobody looked, and its IPs."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import datetime, timedelta
from typing import TypeVar

from kiteroll.app.topology_view import TopologyView
from kiteroll.clock import Clock
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.paging import PageAsk
from kiteroll.core.model.stay import Place, Stay
from kiteroll.core.topology.home_history import HomeInterval, homes_over_time
from kiteroll.core.topology.past_roles import PastRoles
from kiteroll.core.tracking.pauses import ReadingPause
from kiteroll.store import finding_inputs, host_names, past_roles, stay_queries
from kiteroll.store.database import Database
from kiteroll.store.host_names import IpStay
from kiteroll.store.quiet_periods import QuietTime, quiet_times
from kiteroll.store.reading_pauses import reading_pauses
from kiteroll.store.stay_queries import EndpointCriteria

__all__ = ["EndpointHistory", "HomeInterval", "IpStay", "QuietTime", "ReadingPause"]

T = TypeVar("T", QuietTime, ReadingPause)
_HOMES_AT_ONCE = 200
_MAX_TIMES = 1000
"""Quiet times, or pauses of readings, shown at once: the latest."""


class EndpointHistory:
    def __init__(self, database: Database, topology: TopologyView, clock: Clock) -> None:
        self._database = database
        self._topology = topology
        self._clock = clock

    def quiet_times(self, mac: MacAddress, back: timedelta, *, uplinks: bool) -> list[QuietTime]:
        """When it was missing where it was, earliest first. Raises NotFound when it is not known."""
        self._database.run(stay_queries.check_known, mac)
        now = self._clock.now()
        found = self._database.run(quiet_times, [mac], now - back, now)
        if not uplinks:
            found = _at_access(found, self._past_roles([one.place for one in found]))
        return found[-_MAX_TIMES:]

    def reading_pauses(self, mac: MacAddress, back: timedelta, *, uplinks: bool) -> list[ReadingPause]:
        """When a switch that it was on was read too seldom to know that it was there all the time, earliest
        first. Raises NotFound when no switch ever learned it."""
        self._database.run(stay_queries.check_known, mac)
        now = self._clock.now()
        since = now - back
        stays = self._stays([mac], since)[mac]
        if uplinks:
            found = self._database.run(reading_pauses, [one.id for one in stays], since, now)
        else:
            roles = self._past_roles([one.place for one in stays])
            here = [one.id for one in stays if roles.was_access(one)]
            found = _at_access(self._database.run(reading_pauses, here, since, now), roles)
        return found[-_MAX_TIMES:]

    def _past_roles(self, places: Iterable[Place]) -> PastRoles:
        return self._database.run(past_roles.past_roles, {(one.switch, one.port) for one in places})

    def homes(self, mac: MacAddress, back: timedelta) -> list[HomeInterval]:
        """Where it was at home, earliest first. Raises NotFound when no switch ever learned it."""
        return self.homes_since(mac, self._clock.now() - back)

    def homes_since(self, mac: MacAddress, since: datetime) -> list[HomeInterval]:
        """The same."""
        self._database.run(stay_queries.check_known, mac)
        stays = self._stays([mac], since)
        return self._homes(stays, self._past_roles([one.place for one in stays[mac]]))[mac]

    def all_homes(self, since: datetime) -> Iterator[tuple[MacAddress, HomeInterval]]:
        """Where every endpoint was at home since then, in order of address, then of time."""
        cursor: str | None = None
        roles = self._database.run(past_roles.all_past_roles)
        while True:
            page = self._database.run(
                stay_queries.endpoints_page, EndpointCriteria(), PageAsk(cursor, _HOMES_AT_ONCE)
            )
            macs = [mac for mac, _ in page.items]
            homes = self._homes(self._stays(macs, since), roles)
            yield from ((mac, one) for mac in macs for one in homes[mac])
            if (cursor := page.next) is None:
                return

    def _stays(self, macs: Sequence[MacAddress], since: datetime) -> dict[MacAddress, list[Stay]]:
        rows = self._database.run(finding_inputs.recent_stays, macs, since)
        return {mac: [row.stay for row in rows[mac]] for mac in macs}

    def _homes(
        self, stays: Mapping[MacAddress, Sequence[Stay]], roles: PastRoles
    ) -> dict[MacAddress, list[HomeInterval]]:
        areas = self._topology.now().topology.areas()
        return {mac: homes_over_time(of_it, roles, areas) for mac, of_it in stays.items()}

    def ips(self, mac: MacAddress, limit: int) -> list[IpStay]:
        return self._database.run(host_names.ip_history, mac, limit)


def _at_access(times: Sequence[T], roles: PastRoles) -> list[T]:
    """Those in which the port was an access port at all."""
    return [
        one
        for one in times
        if any(roles.access_times((one.place.switch, one.place.port), one.began_at, one.ended_at))
    ]
