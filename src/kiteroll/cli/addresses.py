"""An address as people type it: whole, in any notation, or as many digits as tell it from all others."""

from typing import TYPE_CHECKING

from kiteroll.client import search
from kiteroll.core.errors import BadAddress, Invalid, NotFound
from kiteroll.core.model.mac import MacAddress

if TYPE_CHECKING:
    from kiteroll.cli.context import Context
    from kiteroll.client import Client
    from kiteroll.schemas import api

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
    called = [one.mac for one in found.endpoints if _is_called(one, text.strip().lower())]
    names = called if len(called) == 1 else [one.mac for one in found.endpoints]
    if len(names) == 1 and (called or not found.more):
        context.out.note(f"{text} is {names[0]}", "dim")
        return names[0]
    if not names:
        raise NotFound("endpoint", text, "no address, IP, host name or label holds this")
    more = " and more" if found.more or len(names) > _SHOWN else ""
    raise Invalid(f"{text!r} may be {', '.join(names[:_SHOWN])}{more}: type more of it")


def _is_called(one: "api.Endpoint", text: str) -> bool:
    """Whether this is its very IP, host name (with or without its domain) or label."""
    hosts = [name.lower() for name in one.host_names]
    return text in (*one.ips, *hosts, *(name.partition(".")[0] for name in hosts), one.label.lower())
