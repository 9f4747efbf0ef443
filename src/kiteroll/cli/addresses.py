"""An address as people type it: whole, in any notation, or as many digits as tell it from all others."""

from typing import TYPE_CHECKING

from kiteroll.client import search
from kiteroll.core.errors import BadAddress, NotFound
from kiteroll.core.model.mac import MacAddress
from kiteroll.core.search.names import LOOKED_AT, names_of, the_one_meant

if TYPE_CHECKING:
    from kiteroll.cli.context import Context
    from kiteroll.client import Client


def whole_address(context: "Context", client: "Client", text: str) -> str:
    """Raises Invalid when several endpoints have these digits, NotFound when none has."""
    try:
        return str(MacAddress.parse(text))
    except BadAddress:
        pass
    found = client.send(search(text, limit=LOOKED_AT))
    names = {one.mac: names_of(one.ips, one.host_names, one.label) for one in found.endpoints}
    mac = the_one_meant(text, names, more=found.more)
    if mac is None:
        raise NotFound("endpoint", text, "no address, IP, host name or label holds this")
    context.out.note(f"{text} is {mac}", "dim")
    return mac
