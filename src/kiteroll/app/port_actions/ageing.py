"""Advice on the ageing time of a switch, from what is recorded of it."""

from datetime import datetime, timedelta

from kiteroll.app.queries.switches import SwitchQueries
from kiteroll.app.topology_view import TopologyView
from kiteroll.clock import Clock
from kiteroll.core.port_actions.ageing_advice import AgeingAdvice, AgeingFacts, advise
from kiteroll.store import quiet_periods
from kiteroll.store.database import Database


class AgeingAdvisor:
    def __init__(
        self, database: Database, switches: SwitchQueries, topology: TopologyView, clock: Clock
    ) -> None:
        self._database = database
        self._switches = switches
        self._topology = topology
        self._clock = clock

    def advice(self, name: str, back: timedelta) -> AgeingAdvice:
        """By the last `back` of its history. Raises NotFound."""
        view = self._switches.get(name)
        since = self._clock.now() - back
        topology = self._topology.now().topology
        absences = self._database.run(quiet_periods.absences_on, view.row.id, since)
        endpoints = self._database.run(quiet_periods.endpoints_on, view.row.id, since)
        return advise(
            AgeingFacts(
                ageing=None if view.row.ageing_s is None else timedelta(seconds=view.row.ageing_s),
                present=view.present,
                table_size=view.row.table_size,
                discards=view.row.learning_discards if _rose(view.row.discards_rose_at, since) else 0,
                endpoints=sum(n for port, n in endpoints.items() if not topology.is_uplink((name, port))),
                silences=[longest for port, longest in absences if not topology.is_uplink((name, port))],
            )
        )


def _rose(at: datetime | None, since: datetime) -> bool:
    """The count goes on since the switch was started: what counts is whether it rose lately."""
    return at is not None and at >= since
