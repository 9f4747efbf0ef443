"""Many switches at once: read them with progress, or import them from a CSV file."""

import asyncio
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from rich.console import Console
from rich.progress import Progress

from kiteroll.cli.context import Context
from kiteroll.cli.file_problems import refused
from kiteroll.cli.host_port import split_address
from kiteroll.cli.inventory_files import read_inventory
from kiteroll.cli.parsing import checked
from kiteroll.client import AsyncClient, Client, change_switches, read_now, switches
from kiteroll.core.errors import Invalid
from kiteroll.schemas import api
from kiteroll.schemas.inventory import SWITCHES_AT_ONCE

CONCURRENCY = 8


@dataclass(frozen=True, slots=True)
class Step:
    action: str
    """add, change or same."""
    switch: str
    address: str
    credential: str | None
    changes: Mapping[str, Any]


@dataclass(slots=True)
class Plan:
    """What an import does: switch by switch, and as it is sent."""

    credential: str | None
    """Of new switches that name none."""
    steps: list[Step] = field(default_factory=list)
    added: list[api.NewSwitch] = field(default_factory=list)
    changed: dict[str, api.SwitchChange] = field(default_factory=dict)

    def add_row(self, values: dict[str, Any], before: api.Switch | None) -> None:
        """Raises Invalid."""
        if before is None:
            if values.get("source", "snmp") == "snmp" and not values.get("credential"):
                if self.credential is None:
                    raise Invalid(
                        "credential: it names none. `kiteroll credential list` has those there are; one for "
                        "all switches that name none is given with --credential"
                    )
                values["credential"] = self.credential
            new = checked(api.NewSwitch, **values)
            self.added.append(new)
            self.steps.append(Step("add", new.name, f"{new.host}:{new.port}", new.credential, {}))
            return
        if values.pop("source", before.source) != before.source:
            raise Invalid(f"source: it is {before.source}, and stays so; remove the switch and add it again")
        # Without a credential in the file, the one it is read with stays.
        given = checked(api.SwitchChange, **values).model_dump(exclude_unset=True, exclude={"name"})
        changes = {name: value for name, value in given.items() if getattr(before, name) != value}
        if changes:
            self.changed[before.name] = api.SwitchChange.model_validate(changes)
        host, port = given.get("host", before.host), given.get("port", before.port)
        action = "change" if changes else "same"
        self.steps.append(Step(action, before.name, f"{host}:{port}", given.get("credential"), changes))


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
        if isinstance(answer, BaseException):
            raise answer
    return [answer for answer in answers if isinstance(answer, api.ReadingSummary)]


def plan_import(client: Client, file: Path, credential: str | None) -> Plan:
    """What a file would do; the service has checked it. `credential`: of new switches that name none.

    Raises Invalid naming file and place of everything that is wrong; then nothing is done.
    """
    known = {one.name: one for one in client.each(switches())}
    plan = Plan(credential)
    problems: list[tuple[str, str]] = []
    places: dict[str, str] = {}
    for where, row in read_inventory(file):
        try:
            name = str(row.get("name", ""))
            if name in places:
                raise Invalid(f"name: {name!r} is already in {places[name]}")
            places[name] = where
            plan.add_row(_values(row), known.get(name))
        except Invalid as wrong:
            problems.append((where, str(wrong)))
    if problems:
        raise refused(file, "nothing was changed", problems)
    if (count := max(len(plan.added), len(plan.changed))) > SWITCHES_AT_ONCE:
        raise Invalid(
            f"{file}: it adds or changes {count} switches, and at most {SWITCHES_AT_ONCE} at once: split it"
        )
    _send(client, plan, dry_run=True)
    return plan


def carry_out(client: Client, plan: Plan) -> None:
    _send(client, plan, dry_run=False)


def _send(client: Client, plan: Plan, *, dry_run: bool) -> None:
    if plan.added or plan.changed:
        changes = api.InventoryChanges(add=plan.added, change=plan.changed, dry_run=dry_run)
        client.send(change_switches(changes))


def _values(row: Mapping[str, Any]) -> dict[str, Any]:
    """What a row says, by the names of the API."""
    values = {name: text.strip() if isinstance(text, str) else text for name, text in row.items()}
    if "address" in values:
        if "host" in values:
            raise Invalid("address and host: give one of them")
        values["host"], values["port"] = split_address(str(values.pop("address")))
    if isinstance(values.get("groups"), str):
        values["groups"] = values["groups"].replace(";", " ").split()
    return values
