"""Many switches at once: read them with progress, or import them from a CSV file."""

import asyncio
from pathlib import Path
from typing import Any

from rich.console import Console
from rich.progress import Progress

from kiteroll.cli.context import Context
from kiteroll.cli.csv_rows import Row, csv_rows
from kiteroll.cli.host_port import split_address
from kiteroll.cli.parsing import checked
from kiteroll.client import AsyncClient, Client, ServiceError, add_switch, change_switch, read_now, switches
from kiteroll.core.errors import Invalid
from kiteroll.schemas import api

CONCURRENCY = 8
Step = tuple[str, api.NewSwitch, api.SwitchChange | None]
"""What is done ("add", "change" or "same"), with which switch, and what changes in it."""
COLUMNS = (
    "name",
    "address",
    "credential",
    "site",
    "groups",
    "notes",
    "interval_s",
    "timeout_s",
    "tries",
    "table_size",
    "hold_time_s",
    "enabled",
)


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
    """What a CSV file would do.

    Raises Invalid naming file, line and column of everything that is wrong; then nothing is done.
    """
    known = {one.name: one for one in client.each(switches())}
    plan: list[Step] = []
    for new in _read_file(file):
        before = known.get(new.name)
        if before is None:
            plan.append(("add", new, None))
            continue
        values = {name: value for name, value in new.model_dump(exclude_unset=True).items() if name != "name"}
        differing = {name: value for name, value in values.items() if getattr(before, name) != value}
        change = api.SwitchChange.model_validate(differing)
        plan.append(("change" if differing else "same", new, change))
    return plan


def carry_out(client: Client, plan: list[Step]) -> None:
    for verb, new, change in plan:
        if verb == "add":
            client.send(add_switch(new))
        elif verb == "change" and change is not None:
            client.send(change_switch(new.name, change))


def _read_file(file: Path) -> list[api.NewSwitch]:
    columns, rows = csv_rows(file)
    unknown = [column for column in columns if column not in COLUMNS]
    missing = [column for column in COLUMNS[:3] if column not in columns]
    if unknown or missing:
        told = [
            *(f"there is no column {name!r}" for name in unknown),
            *(f"column {name!r} is missing" for name in missing),
        ]
        raise Invalid(f"{file}, line 1: {'; '.join(told)}. Columns are {', '.join(COLUMNS)}")
    problems: list[str] = []
    found: list[api.NewSwitch] = []
    lines_of: dict[str, int] = {}
    for line, row in rows:
        try:
            new = _switch(row)
            if new.name in lines_of:
                raise Invalid(f"name: {new.name!r} is already in line {lines_of[new.name]}")
            lines_of[new.name] = line
            found.append(new)
        except Invalid as wrong:
            problems.append(f"{file}, line {line}: {wrong}")
    if problems:
        raise Invalid("\n  ".join(("nothing was changed:", *problems)))
    return found


def _switch(row: Row) -> api.NewSwitch:
    values: dict[str, Any] = {
        name: text.strip() for name, text in row.items() if name and text and text.strip()
    }
    if None in row:
        raise Invalid("it has more cells than there are columns")
    if "address" not in values:
        raise Invalid("address: it is empty")
    host, port = split_address(values.pop("address"))
    if "groups" in values:
        values["groups"] = values["groups"].split()
    return checked(api.NewSwitch, host=host, port=port, **values)
