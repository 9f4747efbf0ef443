"""Many switches at once: read them with progress, or import them from a CSV file."""

import asyncio
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from rich.console import Console
from rich.progress import Progress

from kiteroll.cli.context import Context
from kiteroll.cli.host_port import split_address
from kiteroll.cli.inventory_files import read_inventory
from kiteroll.cli.parsing import checked
from kiteroll.client import AsyncClient, Client, ServiceError, change_switches, read_now, switches
from kiteroll.core.errors import Invalid
from kiteroll.schemas import api

CONCURRENCY = 8
Step = tuple[str, api.NewSwitch, api.SwitchChange | None]
"""What is done ("add", "change" or "same"), with which switch, and what changes in it."""


def read_many(context: Context, names: list[str]) -> list[api.ReadingSummary]:
    """Read them, some at a time, with progress on standard error. Ctrl-C stops; what was read stays."""
    return asyncio.run(_read_many(context, names))


async def _read_many(context: Context, names: list[str]) -> list[api.ReadingSummary]:
    slots = asyncio.Semaphore(CONCURRENCY)
    console = Console(stderr=True)
    quiet = len(names) == 1 or not console.is_terminal
    with Progress(console=console, transient=True, disable=quiet) as progress:
        bar = progress.add_task("reading", total=len(names))
        async with AsyncClient(*context.access(), ca_file=context.ca_file()) as client:

            async def one(name: str) -> api.ReadingSummary:
                async with slots:
                    answer = await client.send(read_now(name))
                progress.update(bar, advance=1, description=name)
                return answer

            answers = await asyncio.gather(*(one(name) for name in names), return_exceptions=True)
    for answer in answers:
        # Being read at this moment is no failure: its reading comes anyway.
        if isinstance(answer, BaseException) and not (
            isinstance(answer, ServiceError) and answer.status == 409
        ):
            raise answer
    return [answer for answer in answers if isinstance(answer, api.ReadingSummary)]


def plan_import(client: Client, file: Path) -> list[Step]:
    """What a file would do; the service has checked it.

    Raises Invalid naming file, place and word of everything that is wrong; then nothing is done.
    """
    known = {one.name: one for one in client.each(switches())}
    plan: list[Step] = []
    for new in _read_file(file, known):
        before = known.get(new.name)
        if before is None:
            plan.append(("add", new, None))
            continue
        values = {name: value for name, value in new.model_dump(exclude_unset=True).items() if name != "name"}
        differing = {name: value for name, value in values.items() if getattr(before, name) != value}
        change = api.SwitchChange.model_validate(differing)
        plan.append(("change" if differing else "same", new, change))
    _send(client, plan, dry_run=True)
    return plan


def carry_out(client: Client, plan: list[Step]) -> None:
    _send(client, plan, dry_run=False)


def _send(client: Client, plan: list[Step], *, dry_run: bool) -> None:
    added = [new for verb, new, _ in plan if verb == "add"]
    changed = {new.name: change for verb, new, change in plan if verb == "change" and change is not None}
    if added or changed:
        changes = api.InventoryChanges(add=added, change=changed, dry_run=dry_run)
        client.send(change_switches(changes))


def _read_file(file: Path, known: Mapping[str, api.Switch]) -> list[api.NewSwitch]:
    problems: list[str] = []
    found: list[api.NewSwitch] = []
    places: dict[str, str] = {}
    for where, row in read_inventory(file):
        try:
            new = _switch(row, known)
            if new.name in places:
                raise Invalid(f"name: {new.name!r} is already in {places[new.name]}")
            places[new.name] = where
            found.append(new)
        except Invalid as wrong:
            problems.append(f"{file}, {where}: {wrong}")
    if problems:
        raise Invalid("\n  ".join(("nothing was changed:", *problems)))
    return found


def _switch(row: Mapping[str, Any], known: Mapping[str, api.Switch]) -> api.NewSwitch:
    values = {name: text.strip() if isinstance(text, str) else text for name, text in row.items()}
    if "address" in values:
        if "host" in values:
            raise Invalid("address and host: give one of them")
        values["host"], values["port"] = split_address(str(values.pop("address")))
    if isinstance(values.get("groups"), str):
        values["groups"] = values["groups"].replace(";", " ").split()
    before = known.get(str(values.get("name", "")))
    own = before is not None and before.credential is None and values.get("source", "snmp") == "snmp"
    if own and "credential" not in values:
        # It is read with a credential of its own, which no file has: that one stays.
        checked(api.SwitchChange, **{name: one for name, one in values.items() if name != "source"})
        return api.NewSwitch.model_construct(_fields_set=set(values), **_typed(values))
    return checked(api.NewSwitch, **values)


def _typed(values: Mapping[str, Any]) -> dict[str, Any]:
    change = checked(api.SwitchChange, **{name: one for name, one in values.items() if name != "source"})
    return {
        **change.model_dump(exclude_unset=True),
        **({"source": values["source"]} if "source" in values else {}),
    }
