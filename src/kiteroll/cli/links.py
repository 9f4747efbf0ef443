"""`kiteroll device-link ...` and `kiteroll query ...`: links to devices, and queries that are kept."""

from typing import Any

from kiteroll.cli import columns
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.parsing import add_command, add_group, checked, shared
from kiteroll.client import (
    add_saved_query,
    device_links,
    remove_device_link,
    remove_saved_query,
    saved_queries,
    set_device_link,
)
from kiteroll.core.errors import NotFound
from kiteroll.core.model.nearest import did_you_mean
from kiteroll.schemas import api


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    verbs = add_group(
        commands, "device-link", "make links to switches and endpoints, by templates", of="VERB"
    )
    add_command(verbs, "list", run_links, "list the templates", parents=parents)
    one = add_command(
        verbs,
        "set",
        run_set_link,
        "add or replace a template",
        parents=parents,
        detail="Of a switch: {address}, {name}, {site}. Of an endpoint: {ip}, {mac}, {host_name}, {switch},\n"
        "{port}. `kiteroll switch open` and `kiteroll endpoint open` print the links.\n"
        "  kiteroll device-link set shell 'ssh://{address}'\n"
        "  kiteroll device-link set page 'https://{ip}/' --of endpoint",
    )
    one.add_argument("name")
    one.add_argument("template")
    one.add_argument("--of", choices=("switch", "endpoint"), default="switch", help="(default switch)")
    one = add_command(verbs, "remove", run_remove_link, "remove a template", parents=parents)
    one.add_argument("name")

    verbs = add_group(commands, "query", "keep queries of the console by name, alone or for all", of="VERB")
    add_command(verbs, "list", run_queries, "list those you keep, and those that are shared", parents=parents)
    one = add_command(
        verbs,
        "save",
        run_save,
        "keep a query",
        parents=parents,
        detail="PATH is what the address line of the browser has behind the host:\n"
        "  kiteroll query save tannoys '/?q=tannoy' --shared",
    )
    one.add_argument("name")
    one.add_argument("path")
    one.add_argument("--shared", action="store_true", help="everybody sees it")
    one = add_command(verbs, "remove", run_remove, "keep a query no longer", parents=parents)
    one.add_argument("name")


def run_links(context: Context) -> Exit:
    with context.client() as client:
        found = client.all(device_links())
    context.out.rows(found, columns.device_links(), empty="no links; `kiteroll device-link set` makes one")
    return Exit.OK


def run_set_link(context: Context) -> Exit:
    args = context.args
    link = checked(api.DeviceLinkText, of=args.of, template=args.template)
    with context.client() as client:
        one = client.send(set_device_link(args.name, link))
    context.out.done(one, columns.device_links(), f"link {one.name} leads to each {one.of} now")
    return Exit.OK


def run_remove_link(context: Context) -> Exit:
    with context.client() as client:
        client.send(remove_device_link(context.args.name))
    context.out.note(f"{context.args.name} is removed")
    return Exit.OK


def run_queries(context: Context) -> Exit:
    url, _ = context.access()
    with context.client() as client:
        found = client.all(saved_queries())
    context.out.rows(found, columns.saved_queries(url), empty="no queries are kept")
    return Exit.OK


def run_save(context: Context) -> Exit:
    args = context.args
    new = checked(api.SavedQueryText, name=args.name, path=args.path, shared=args.shared)
    with context.client() as client:
        one = client.send(add_saved_query(new))
    url, _ = context.access()
    context.out.done(one, columns.saved_queries(url), f"{one.name} is kept: {url.rstrip('/')}{one.path}")
    return Exit.OK


def run_remove(context: Context) -> Exit:
    name = context.args.name
    with context.client() as client:
        own = {one.name: one.id for one in client.all(saved_queries()) if one.own}
        if name not in own:
            hint = did_you_mean(name, own, "`kiteroll query list` shows those you keep")
            raise NotFound("saved query of yours", name, hint)
        client.send(remove_saved_query(own[name]))
    context.out.note(f"{name} is kept no longer")
    return Exit.OK


def print_links(context: Context, found: list[api.DeviceUrl]) -> Exit:
    """The links to a device; one that was named, alone. Raises NotFound."""
    wanted = context.args.link
    if wanted is None:
        empty = "no link leads there; `kiteroll device-link set` makes one"
        context.out.rows(found, columns.device_urls(), empty=empty)
        return Exit.OK if found else Exit.NOTHING
    by_name = {one.name: one for one in found}
    if wanted not in by_name:
        hint = did_you_mean(wanted, by_name, f"there are {', '.join(by_name) or 'none'}")
        raise NotFound("link", wanted, hint)
    if context.out.format == "table":
        print(by_name[wanted].url)
    else:
        context.out.rows([by_name[wanted]], columns.device_urls(), empty="")
    return Exit.OK
