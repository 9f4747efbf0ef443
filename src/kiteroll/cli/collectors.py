"""`kiteroll collector ...`: which collectors there are, and how the readings of their sites come.

What is for the machine of a collector is in `collector_role`, which the client alone comes without.
"""

from typing import Any

from kiteroll.cli import columns
from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.loading import load
from kiteroll.cli.parsing import add_command, add_group, checked, shared
from kiteroll.client import add_collector, collected_sites, collectors, remove_collector, sites
from kiteroll.core.model.nearest import did_you_mean
from kiteroll.schemas import api


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    verbs = add_group(
        commands, "collector", "read the switches of a site there, and see how its readings come", of="VERB"
    )
    if (at_the_site := load("collector_role")) is not None:
        at_the_site.add_verbs(verbs)
    add_command(verbs, "list", run_list, "list collectors, and how each is", parents=parents)
    add_command(verbs, "sites", run_sites, "show how the readings of their sites come", parents=parents)
    one = add_command(
        verbs,
        "add",
        run_add,
        "have the switches of a site read there",
        parents=parents,
        detail='  kiteroll collector add island-1 --site Island --key "$(cat island-1.key)"',
    )
    one.add_argument("name")
    one.add_argument("--site", required=True, help="as its switches name it")
    one.add_argument("--key", required=True, help="its public key: `kiteroll collector key` prints it there")
    one = add_command(
        verbs,
        "remove",
        run_remove,
        "have a collector read no more; with the last one its site is read by the service again",
        parents=parents,
    )
    one.add_argument("name")


def run_list(context: Context) -> Exit:
    with context.client() as client:
        found = client.all(collectors())
    empty = "no collectors: every switch is read by the service itself"
    context.out.rows(found, columns.collectors(), empty=empty)
    return Exit.OK


def run_sites(context: Context) -> Exit:
    with context.client() as client:
        found = client.all(collected_sites())
    context.out.rows(found, columns.collected_sites(), empty="no site is read by collectors")
    return Exit.OK


def run_add(context: Context) -> Exit:
    args = context.args
    new = checked(api.NewCollector, name=args.name, site=args.site, public_key=args.key)
    with context.client() as client:
        one = client.send(add_collector(new))
        known = {site.name for site in client.each(sites())}
    sentence = f"{one.site} is read by {one.name} from now on"
    if one.site not in known:
        hint = did_you_mean(one.site, known, "switches name their site")
        sentence = f"{one.name} is added, but no switch is at {one.site}; {hint}"
    context.out.done(one, columns.collectors(), sentence)
    return Exit.OK


def run_remove(context: Context) -> Exit:
    with context.client() as client:
        client.send(remove_collector(context.args.name))
    context.out.note(f"{context.args.name} is removed")
    return Exit.OK
