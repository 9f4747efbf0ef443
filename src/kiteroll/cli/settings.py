"""`kiteroll setting ...`: what can be changed while the service runs."""

from typing import TYPE_CHECKING, Any

from kiteroll.cli.context import Context
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.output import Column
from kiteroll.cli.parsing import add_command, add_group, shared
from kiteroll.client import reset_setting, set_setting, settings

if TYPE_CHECKING:
    from kiteroll.schemas import api


def add_commands(commands: Any) -> None:
    parents = (shared(),)
    verbs = add_group(
        commands, "setting", "change thresholds, retention and the interval at run time", of="VERB"
    )
    add_command(verbs, "list", run_list, "list settings, and where each value comes from", parents=parents)
    one = add_command(
        verbs,
        "set",
        run_set,
        "change a setting; it holds at once",
        parents=parents,
        detail="What the configuration says wins, and cannot be changed here.",
    )
    one.add_argument("name")
    one.add_argument("value", help="a number, or a span such as 15m")
    one = add_command(verbs, "reset", run_reset, "back to the default", parents=parents)
    one.add_argument("name")


def run_list(context: Context) -> Exit:
    with context.client() as client:
        found = client.all(settings())
    context.out.rows(found, _columns(), empty="")
    return Exit.OK


def run_set(context: Context) -> Exit:
    args = context.args
    with context.client() as client:
        changed = client.send(set_setting(args.name, _number_or_text(args.value)))
    context.out.done(changed, _columns(), f"{changed.name} is {changed.value} now")
    return Exit.OK


def run_reset(context: Context) -> Exit:
    with context.client() as client:
        changed = client.send(reset_setting(context.args.name))
    context.out.done(changed, _columns(), f"{changed.name} is {changed.value} again")
    return Exit.OK


def _columns() -> "list[Column[api.Setting]]":
    return [
        Column("name", lambda one: one.name, style=lambda _: "bold"),
        Column("value", lambda one: one.value, right=True),
        Column("default", lambda one: one.default, right=True),
        Column("from", lambda one: one.source, style=lambda one: "" if one.source == "default" else "yellow"),
        Column("by", lambda one: one.set_by),
        Column("at", lambda one: one.set_at),
    ]


def _number_or_text(text: str) -> float | str:
    for kind in (int, float):
        try:
            return kind(text)
        except ValueError:
            continue
    return text
