"""An address as people type it: whole, in any notation, or as many digits as tell it from all others."""

from typing import TYPE_CHECKING

from kiteroll.client import search
from kiteroll.core.errors import BadAddress, Invalid, NotFound
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.search.names import names_of

if TYPE_CHECKING:
    from kiteroll.cli.context import Context
    from kiteroll.client import Client

_SHOWN = 5
"""Addresses that are named where the text fits several."""
_LOOKED_AT = 50


def whole_address(context: "Context", client: "Client", text: str) -> str:
    """Raises Invalid when several endpoints have these digits, NotFound when none has."""
    try:
        return str(MacAddress.parse(text))
    except BadAddress:
        pass
    found = client.send(search(text, limit=_LOOKED_AT))
    wanted = text.strip().lower()
    called = [one.mac for one in found.endpoints if wanted in names_of(one.ips, one.host_names, one.label)]
    names = called if len(called) == 1 else [one.mac for one in found.endpoints]
    if len(names) == 1 and (called or not found.more):
        context.out.note(f"{text} is {names[0]}", "dim")
        return names[0]
    if not names:
        raise NotFound("endpoint", text, "no address, IP, host name or label holds this")
    more = " and more" if found.more or len(names) > _SHOWN else ""
    raise Invalid(f"{text!r} may be {', '.join(names[:_SHOWN])}{more}: type more of it")
