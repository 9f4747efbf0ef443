"""One box for everything: what may the typed text mean?"""

from kiteroll.core.errors import BadAddress
from kiteroll.core.mac import Fragment, MacAddress
from kiteroll.schemas import api
from kiteroll.service.answers import SwitchView, endpoint_answer, port_answer
from kiteroll.service.life import Service
from kiteroll.store import overview, places

_NAMES = 8
"""Switches and ports listed; they are a sideline of a search that is mostly for addresses."""


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
    uplinks = service.uplinks.get()
    shown = macs[:limit]
    seen = database.run(places.first_seen, shown) if shown else {}
    stays = database.run(places.places_of, shown)
    endpoints = [endpoint_answer(mac, seen[mac], stays[mac], uplinks) for mac in shown if mac in seen]
    switches = database.run(overview.matching_switches, text, _NAMES)
    present = database.run(overview.present_counts, [row.id for row in switches])
    view = SwitchView(database, service.clock.now())
    ports = database.run(overview.matching_ports, text, _NAMES)
    if wrong is not None and not switches and not ports and _meant_as_address(text):
        raise wrong
    return api.Found(
        query=query,
        endpoints=endpoints,
        more=len(macs) > limit,
        switches=[view.answer(row, present.get(row.id, 0)) for row in switches],
        ports=[port_answer(row, uplinks) for row in ports],
    )


def _meant_as_address(text: str) -> bool:
    """Separators of an address, and digits around them: "aa:bb:cg" yes, "quay 4" no."""
    return ":" in text or sum(sign in "0123456789abcdefABCDEF" for sign in text) >= 12
