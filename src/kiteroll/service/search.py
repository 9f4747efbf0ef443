"""One box for everything: what may the typed text mean?"""

from datetime import datetime

from kiteroll.core.errors import BadAddress
from kiteroll.core.mac import Fragment, MacAddress
from kiteroll.core.typed import may_be_ip, meant_as_address, network_of, split_list
from kiteroll.schemas import api
from kiteroll.service.answers import endpoint_answers
from kiteroll.service.answers_of_switches import SwitchView, port_answer
from kiteroll.service.life import Service
from kiteroll.service.past import endpoints_at
from kiteroll.store import addresses, gathered

_NAMES = 8
"""Switches and ports listed; they are a sideline of a search that is mostly for addresses."""
_MOST_SORTED = 1000
"""Ports that are put in order; a single letter stands in the aliases of nearly all."""
_SHORTEST_NAME = 3
"""Letters from which a text may name a maker."""


def find(service: Service, query: str, limit: int, at: datetime | None = None) -> api.Found:
    """Endpoints whose address holds the text as a fragment, switches and ports whose name does. With
    `at`, endpoints by the IPs and host names they had then, as they were; neither switches nor ports.

    Raises BadAddress when it is plainly meant as an address and cannot be one, and nothing else
    by that name is there.
    """
    several = split_list(query)
    if len(several) > 1:
        return _find_several(service, query, several, limit, at)
    text = query.strip()
    macs, wrong = _by_address(service, text, limit + 1, at)
    more = limit + 1 if len(macs) <= limit else 0
    if at is None:
        hosts, ports = service.words.hosts.find(text, more), _ports(service, text)
        named = service.database.run(gathered.called_so, text, more, hosts, ports, _NAMES)
    else:
        named = service.database.run(gathered.called_so_at, text, more, at)
    if len(macs) <= limit:
        macs = list(dict.fromkeys([*macs, *named.macs, *_by_maker(service, text, limit + 1)]))[: limit + 1]
    layout = service.topology.get()
    if at is None:
        kept = service.database.run(gathered.kept_endpoints, macs[:limit])
        endpoints = endpoint_answers(kept, layout, service.maker_of)
    else:
        endpoints = endpoints_at(service, macs[:limit], at)
    switches = named.switches
    view = SwitchView(service.database, service.clock.now()) if switches else None
    if wrong is not None and not endpoints and not switches and not named.ports and meant_as_address(text):
        raise wrong
    return api.Found(
        query=query,
        endpoints=endpoints,
        more=len(macs) > limit,
        switches=[view.answer(row, service.present(row)) for row in switches] if view else [],
        ports=[port_answer(row, layout) for row in named.ports],
    )


def _by_address(
    service: Service, text: str, limit: int, at: datetime | None
) -> tuple[list[MacAddress], BadAddress | None]:
    """By MAC or IP address; and what is wrong with the text if it was meant as one."""
    network = network_of(text)
    if network is not None:
        return service.database.run(addresses.macs_in_network, network, limit, at), None
    macs: list[MacAddress] = []
    wrong: BadAddress | None = None
    try:
        macs = service.intake.index.find(Fragment.parse(text), limit)
    except BadAddress as problem:
        wrong = problem
    if may_be_ip(text):
        by_ip = service.database.run(addresses.macs_by_ip, text.lower(), limit, at)
        macs = list(dict.fromkeys([*by_ip, *macs]))[:limit]
    return macs, wrong


def _ports(service: Service, text: str) -> list[tuple[int, str]]:
    """Ports called exactly so, then those whose alias holds the text; by switch."""
    words, switches = service.words, service.intake.switches
    found = []
    for each in (words.ports.exactly(text, _MOST_SORTED), words.aliases.find(text, _MOST_SORTED)):
        # Sorting is steady: on one switch they stay in the order of its ports.
        found += sorted((key for key in each if key[0] in switches), key=lambda key: switches[key[0]])
    return list(dict.fromkeys(found))[:_NAMES]


def _find_several(
    service: Service, query: str, parts: list[str], limit: int, at: datetime | None
) -> api.Found:
    """Each by itself, in the order given; what cannot be an address finds nothing."""
    endpoints: dict[str, api.Endpoint] = {}
    more = False
    for part in parts:
        try:
            found = find(service, part, limit, at)
        except BadAddress:
            continue
        endpoints |= {one.mac: one for one in found.endpoints if one.mac not in endpoints}
        more = more or found.more
    listed = list(endpoints.values())
    return api.Found(query=query, endpoints=listed, more=more, switches=[], ports=[])


def _by_maker(service: Service, text: str, limit: int) -> list[MacAddress]:
    """Addresses under the operator's own prefixes of makers that are called so."""
    if len(text) < _SHORTEST_NAME:
        return []
    index = service.intake.index
    prefixes = service.makers.now.prefixes_of(text)
    return [mac for prefix in prefixes for mac in index.beginning(prefix, limit)][:limit]
