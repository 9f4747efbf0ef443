"""One box for everything: what may the typed text mean?"""

from itertools import chain

from kiteroll.core.errors import BadAddress
from kiteroll.core.mac import Fragment, MacAddress
from kiteroll.schemas import api
from kiteroll.service.answers import SwitchView, endpoint_answers, port_answer
from kiteroll.service.life import Service
from kiteroll.store import addresses, names, overview, places

_NAMES = 8
"""Switches and ports listed; they are a sideline of a search that is mostly for addresses."""
_SHORTEST_NAME = 3
"""Letters from which a text may name a maker."""


def find(service: Service, query: str, limit: int) -> api.Found:
    """Endpoints whose address holds the text as a fragment, switches and ports whose name does.

    Raises BadAddress when it is plainly meant as an address and cannot be one, and nothing else
    by that name is there.
    """
    text = query.strip()
    macs: list[MacAddress] = []
    wrong: BadAddress | None = None
    try:
        macs = service.intake.index.find(Fragment.parse(text), limit + 1)
    except BadAddress as problem:
        wrong = problem
    database = service.database
    if _may_be_ip(text):
        by_ip = database.run(addresses.macs_by_ip, text.lower(), limit + 1)
        macs = list(dict.fromkeys([*by_ip, *macs]))[: limit + 1]
    if len(macs) <= limit:
        more = (
            database.run(places.macs_by_label, text, limit + 1),
            database.run(names.macs_by_name, text, limit + 1),
            _by_maker(service, text, limit + 1),
        )
        macs = list(dict.fromkeys([*macs, *chain(*more)]))[: limit + 1]
    shown = macs[:limit]
    endpoints = endpoint_answers(database, shown, service.topology, service.maker_of)
    switches = database.run(overview.matching_switches, text, _NAMES)
    present = database.run(overview.present_counts, [row.id for row in switches])
    view = SwitchView(database, service.clock.now())
    ports = database.run(overview.matching_ports, text, _NAMES)
    if wrong is not None and not endpoints and not switches and not ports and _meant_as_address(text):
        raise wrong
    return api.Found(
        query=query,
        endpoints=endpoints,
        more=len(macs) > limit,
        switches=[view.answer(row, present.get(row.id, 0)) for row in switches],
        ports=[port_answer(row, service.topology) for row in ports],
    )


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
