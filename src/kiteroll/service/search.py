"""One box for everything: what may the typed text mean?"""

import re
from ipaddress import IPv4Network, IPv6Network, ip_network

from kiteroll.core.errors import BadAddress
from kiteroll.core.mac import Fragment, MacAddress
from kiteroll.schemas import api
from kiteroll.service.answers import SwitchView, endpoint_answers, port_answer
from kiteroll.service.life import Service
from kiteroll.store import addresses, gathered

_NAMES = 8
"""Switches and ports listed; they are a sideline of a search that is mostly for addresses."""
_MOST_SORTED = 1000
"""Ports that are put in order; a single letter stands in the aliases of nearly all."""
_MOST_AT_ONCE = 100
"""Texts of a pasted list that are looked for."""
_STANDS_ALONE = re.compile(r"[0-9A-Fa-f]{8,12}|\S*[:.-]\S*[:.-]\S*")
_SHORTEST_NAME = 3
"""Letters from which a text may name a maker."""


def find(service: Service, query: str, limit: int) -> api.Found:
    """Endpoints whose address holds the text as a fragment, switches and ports whose name does.

    Raises BadAddress when it is plainly meant as an address and cannot be one, and nothing else
    by that name is there.
    """
    several = split_list(query)
    if len(several) > 1:
        return _find_several(service, query, several, limit)
    text = query.strip()
    macs: list[MacAddress] = []
    wrong: BadAddress | None = None
    try:
        macs = service.intake.index.find(Fragment.parse(text), limit + 1)
    except BadAddress as problem:
        wrong = problem
    database = service.database
    network = _network(text)
    if network is not None:
        macs = database.run(addresses.macs_in_network, network, limit + 1)
        wrong = None
    elif _may_be_ip(text):
        by_ip = database.run(addresses.macs_by_ip, text.lower(), limit + 1)
        macs = list(dict.fromkeys([*by_ip, *macs]))[: limit + 1]
    more = limit + 1 if len(macs) <= limit else 0
    hosts = service.words.hosts.find(text, more)
    named = database.run(gathered.called_so, text, more, hosts, _ports(service, text), _NAMES)
    if len(macs) <= limit:
        macs = list(dict.fromkeys([*macs, *named.macs, *_by_maker(service, text, limit + 1)]))[: limit + 1]
    shown = macs[:limit]
    layout = service.topology.get()
    endpoints = endpoint_answers(database, shown, layout, service.maker_of)
    switches, ports = named.switches, named.ports
    view = SwitchView(database, service.clock.now()) if switches else None
    if wrong is not None and not endpoints and not switches and not ports and _meant_as_address(text):
        raise wrong
    return api.Found(
        query=query,
        endpoints=endpoints,
        more=len(macs) > limit,
        switches=[view.answer(row, service.present(row)) for row in switches] if view else [],
        ports=[port_answer(row, layout) for row in ports],
    )


def _ports(service: Service, text: str) -> list[tuple[int, str]]:
    """Ports called exactly so, then those whose alias holds the text; by switch."""
    words, switches = service.words, service.intake.switches
    found = []
    for each in (words.ports.exactly(text, _MOST_SORTED), words.aliases.find(text, _MOST_SORTED)):
        # Sorting is steady: on one switch they stay in the order of its ports.
        found += sorted((key for key in each if key[0] in switches), key=lambda key: switches[key[0]])
    return list(dict.fromkeys(found))[:_NAMES]


def split_list(text: str) -> list[str]:
    """What was pasted as a list: parted by commas, semicolons, line ends or tabs; by blanks too where
    each part is clearly an address, an IP or a name of its own (blanks also part an address)."""
    parts = [part.strip() for part in re.split(r"[,;\n\r\t]+", text) if part.strip()]
    if len(parts) == 1:
        words = parts[0].split()
        if len(words) > 1 and all(_STANDS_ALONE.fullmatch(word) for word in words):
            return words[:_MOST_AT_ONCE]
    return parts[:_MOST_AT_ONCE]


def _find_several(service: Service, query: str, parts: list[str], limit: int) -> api.Found:
    """Each by itself, in the order given; what cannot be an address finds nothing."""
    endpoints: dict[str, api.Endpoint] = {}
    more = False
    for part in parts:
        try:
            found = find(service, part, limit)
        except BadAddress:
            continue
        endpoints |= {one.mac: one for one in found.endpoints if one.mac not in endpoints}
        more = more or found.more
    listed = list(endpoints.values())
    return api.Found(query=query, endpoints=listed, more=more, switches=[], ports=[])


def _network(text: str) -> IPv4Network | IPv6Network | None:
    """10.20.0.0/16 and the like; host bits may be set."""
    if "/" not in text:
        return None
    try:
        return ip_network(text, strict=False)
    except ValueError:
        return None


def _by_maker(service: Service, text: str, limit: int) -> list[MacAddress]:
    """Addresses under the operator's own prefixes of makers that are called so."""
    if len(text) < _SHORTEST_NAME:
        return []
    index = service.intake.index
    prefixes = service.makers.now.prefixes_of(text)
    return [mac for prefix in prefixes for mac in index.beginning(prefix, limit)][:limit]


def _meant_as_address(text: str) -> bool:
    """Separators of an address, and digits around them: "aa:bb:cg" yes, "quay 4" no."""
    return ":" in text or sum(sign in "0123456789abcdefABCDEF" for sign in text) >= 12


def _may_be_ip(text: str) -> bool:
    """The beginning of an IPv4 address, with a dot at least, or of an IPv6 address."""
    groups = text.split(".")
    if len(groups) > 1:
        return len(groups) <= 4 and all(group.isdigit() and int(group) <= 255 for group in groups if group)
    return ":" in text and all(len(group) <= 4 for group in text.split(":"))
