"""An address as people type it: whole, in any notation, or as many digits as tell it from all others."""

from typing import TYPE_CHECKING

from kiteroll.client import search
from kiteroll.core.errors import BadAddress, Invalid, NotFound
from kiteroll.core.model.mac import MacAddress

if TYPE_CHECKING:
    from kiteroll.cli.context import Context
    from kiteroll.client import Client

_SHOWN = 5


def whole_address(context: "Context", client: "Client", text: str) -> str:
    """Raises Invalid when several endpoints have these digits, NotFound when none has."""
    try:
        return str(MacAddress.parse(text))
    except BadAddress:
        pass
    found = client.send(search(text, limit=_SHOWN))
    names = [one.mac for one in found.endpoints]
    if len(names) == 1 and not found.more:
        context.out.note(f"{text} is {names[0]}", "dim")
        return names[0]
    if not names:
        raise NotFound("endpoint", text, "no address, IP, host name or label holds this")
    more = " and more" if found.more else ""
    raise Invalid(f"{text!r} may be {', '.join(names)}{more}: type more of it")
