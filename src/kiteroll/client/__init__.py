"""Client library of the Kite Roll API: typed questions, asked in a synchronous or asynchronous way.

    from kiteroll.client import Client, find, switches

    with Client("http://127.0.0.1:8480", token) as kite:
        found = kite.ask(find("52:4e"))
        for switch in kite.each(switches()):
            print(switch.name, switch.health)

`AsyncClient` takes the same questions: `await kite.ask(...)`, `async for ... in kite.each(...)`.
"""

from kiteroll.client.calls import AsyncClient, Client
from kiteroll.client.errors import ServiceError, ServiceUnreachable
from kiteroll.client.questions import (
    ListQuestion,
    Question,
    add_credential,
    add_switch,
    candidates,
    change_credential,
    change_switch,
    changes,
    credentials,
    endpoint,
    endpoints,
    find,
    health,
    neighbours,
    ports,
    read_now,
    readings,
    remove_credential,
    remove_switch,
    stays,
    switch,
    switches,
    vlans,
)

__all__ = [
    "AsyncClient",
    "Client",
    "ListQuestion",
    "Question",
    "ServiceError",
    "ServiceUnreachable",
    "add_credential",
    "add_switch",
    "candidates",
    "change_credential",
    "change_switch",
    "changes",
    "credentials",
    "endpoint",
    "endpoints",
    "find",
    "health",
    "neighbours",
    "ports",
    "read_now",
    "readings",
    "remove_credential",
    "remove_switch",
    "stays",
    "switch",
    "switches",
    "vlans",
]
