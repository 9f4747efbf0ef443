"""One search box for everything: what may the typed text mean?"""

from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import datetime

from kiteroll.app.label_index import LabelIndex
from kiteroll.app.makers import MakerDirectory
from kiteroll.app.name_index import NameIndexes
from kiteroll.app.queries.as_of import past_instant
from kiteroll.app.queries.endpoints import EndpointQueries, EndpointView
from kiteroll.app.queries.ports import PortQueries, PortView
from kiteroll.app.queries.switches import SwitchQueries, SwitchView
from kiteroll.app.tracked_fleet import TrackedFleet
from kiteroll.clock import Clock
from kiteroll.core.errors import BadAddress, Invalid
from kiteroll.core.model.mac import Fragment, MacAddress
from kiteroll.core.search.names import names_of
from kiteroll.core.search.search_query import (
    MOST_AT_ONCE,
    may_be_ip,
    meant_as_address,
    network_of,
    split_list,
)
from kiteroll.store import addresses, endpoint_queries, host_names, labels
from kiteroll.store.database import Database
from kiteroll.store.endpoint_queries import NameMatches
from kiteroll.store.labels import Label

_MAX_NAMED = 8
"""Switches and ports listed; they are a sideline of a search that is mostly for addresses."""
_MAX_SORTED = 1000
"""Ports that are put in order; a single letter is in the aliases of nearly all."""
_MAX_CALLED = 50
_MIN_MAKER_LETTERS = 3
"""Letters from which a text may name a maker."""


@dataclass(frozen=True, slots=True, kw_only=True)
class TextFound:
    """One text of a pasted list, and what it found."""

    text: str
    macs: list[MacAddress]
    switches: list[str]
    problem: str


@dataclass(frozen=True, slots=True, kw_only=True)
class SearchView:
    query: str
    endpoints: list[EndpointView]
    more: bool
    """Whether there are more endpoints than were asked for."""
    switches: list[SwitchView] = field(default_factory=list)
    ports: list[PortView] = field(default_factory=list)
    never_seen: list[Label] = field(default_factory=list)
    """Labels of addresses that no switch has learned."""
    texts: list[TextFound] = field(default_factory=list)
    """Of a pasted list, in its order."""


class Search:
    def __init__(
        self,
        database: Database,
        fleet: TrackedFleet,
        names: NameIndexes,
        labels: LabelIndex,
        makers: MakerDirectory,
        endpoints: EndpointQueries,
        switches: SwitchQueries,
        ports: PortQueries,
        clock: Clock,
    ) -> None:
        self._database = database
        self._fleet = fleet
        self._names = names
        self._labels = labels
        self._makers = makers
        self._endpoints = endpoints
        self._switches = switches
        self._ports = ports
        self._clock = clock

    def find(self, query: str, limit: int, at: datetime | None) -> SearchView:
        """Endpoints whose address holds the text as a fragment, switches and ports whose name does. As of
        an instant: endpoints by the IPs and host names they had then, as they were; neither switches nor
        ports.

        Raises BadAddress when it is plainly meant as an address and cannot be one, and nothing else
        has that name.
        """
        return self._database.in_one_transaction(self._find, query, limit, at)

    def _find(self, query: str, limit: int, at: datetime | None) -> SearchView:
        at = past_instant(self._clock, at)
        several = split_list(query)
        if len(several) > MOST_AT_ONCE:
            raise Invalid(f"q: {len(several)} texts; at most {MOST_AT_ONCE} are looked for at once")
        if len(several) > 1:
            return self._find_several(query, several, limit, at)
        text = query.strip()
        macs, wrong = self._by_address(text, limit + 1, at)
        more = limit + 1 if len(macs) <= limit else 0
        labelled = self._labels.find(text, more) if more else []
        if at is None:
            named = self._database.run(
                endpoint_queries.match_names,
                self._names.hosts.find(text, more),
                self._port_keys(text),
                self._names.switches_called(text, self._fleet.switches, _MAX_NAMED),
            )
        else:
            hosts = self._database.run(host_names.macs_named_at, text, more, at) if more else []
            named = NameMatches(hosts, [], [])
        by_name = [*labelled, *named.macs]
        if len(macs) <= limit:
            by_maker = self._by_maker(text, limit + 1)
            macs = list(dict.fromkeys([*macs, *by_name, *by_maker]))[: limit + 1]
        endpoints = self._endpoints.known(macs[:limit], at)
        never_seen = self._never_seen(text, [*macs, *by_name], endpoints) if at is None else []
        nothing = not (endpoints or named.switches or named.ports or never_seen)
        if wrong is not None and nothing and meant_as_address(text):
            raise wrong
        return SearchView(
            query=query,
            endpoints=endpoints,
            more=len(macs) > limit,
            switches=self._switches.views(named.switches),
            ports=self._ports.views(named.ports),
            never_seen=never_seen,
        )

    def _never_seen(
        self, text: str, macs: Sequence[MacAddress], endpoints: Sequence[EndpointView]
    ) -> list[Label]:
        """Labels of addresses that the text means and no switch has learned."""
        wanted = set(macs) - {one.mac for one in endpoints}
        with suppress(BadAddress):
            wanted.add(MacAddress.parse(text))
        found = self._database.run(labels.labels_of, list(wanted - {one.mac for one in endpoints}))
        return [found[mac] for mac in sorted(found)]

    def devices_called(self, name: str) -> list[MacAddress]:
        """Endpoints with exactly this IP, host name (with or without its domain) or label."""
        wanted = name.strip().lower()
        try:
            found = self.find(wanted, _MAX_CALLED, None).endpoints
        except BadAddress:
            return []
        return [one.mac for one in found if wanted in called(one)]

    def _find_several(self, query: str, parts: list[str], limit: int, at: datetime | None) -> SearchView:
        """Each by itself, in the order given; what cannot be an address finds nothing."""
        endpoints: dict[MacAddress, EndpointView] = {}
        switches: dict[str, SwitchView] = {}
        never_seen: dict[MacAddress, Label] = {}
        texts: list[TextFound] = []
        more = False
        for part in parts:
            try:
                found = self._find(part, limit, at)
            except BadAddress as wrong:
                texts.append(TextFound(text=part, macs=[], switches=[], problem=str(wrong)))
                continue
            endpoints |= {one.mac: one for one in found.endpoints if one.mac not in endpoints}
            switches |= {one.row.name: one for one in found.switches}
            never_seen |= {one.mac: one for one in found.never_seen}
            macs = [one.mac for one in found.endpoints] + [one.mac for one in found.never_seen]
            names = [one.row.name for one in found.switches]
            texts.append(TextFound(text=part, macs=macs, switches=names, problem=""))
            more = more or found.more
        return SearchView(
            query=query,
            endpoints=list(endpoints.values()),
            more=more,
            switches=list(switches.values()),
            never_seen=list(never_seen.values()),
            texts=texts,
        )

    def _by_address(
        self, text: str, limit: int, at: datetime | None
    ) -> tuple[list[MacAddress], BadAddress | None]:
        """By MAC or IP address; and what is wrong with the text if it was meant as one."""
        network = network_of(text)
        if network is not None:
            return self._database.run(addresses.macs_in_network, network, limit, at), None
        macs: list[MacAddress] = []
        wrong: BadAddress | None = None
        try:
            macs = self._fleet.index.find(Fragment.parse(text), limit)
        except BadAddress as problem:
            wrong = problem
        if may_be_ip(text):
            by_ip = self._database.run(addresses.macs_by_ip, text.lower(), limit, at)
            macs = list(dict.fromkeys([*by_ip, *macs]))[:limit]
        return macs, wrong

    def _port_keys(self, text: str) -> list[tuple[int, str]]:
        """Ports with exactly this name, then those whose alias holds the text; by switch."""
        switches = self._fleet.switches
        found = []
        exact = self._names.ports.find_exact(text, _MAX_SORTED)
        for keys in (exact, self._names.aliases.find(text, _MAX_SORTED)):
            # Sorting is stable: on one switch they stay in the order of its ports.
            found += sorted((key for key in keys if key[0] in switches), key=lambda key: switches[key[0]])
        return list(dict.fromkeys(found))[:_MAX_NAMED]

    def _by_maker(self, text: str, limit: int) -> list[MacAddress]:
        return [] if len(text) < _MIN_MAKER_LETTERS else self._makers.macs_by_maker(text, limit)


def called(one: EndpointView) -> set[str]:
    """What it is called in full."""
    return names_of(one.record.ips, one.record.names, one.record.label.label)
