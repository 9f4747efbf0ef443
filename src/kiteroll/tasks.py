"""Several tasks of one event loop that belong together, and ending them for certain."""

import asyncio
from collections.abc import Collection, Coroutine
from typing import Any

_AGAIN_S = 1.0


async def run_together(*work: Coroutine[Any, Any, object]) -> None:
    """Until the first one fails, or this is cancelled; then the others are ended. Raises what it raised.

    In place of `asyncio.TaskGroup`, which leaves its task marked as cancelled where one fails (Python 3.11).
    """
    tasks = [asyncio.create_task(one) for one in work]
    try:
        done, _ = await asyncio.wait(tasks, return_when=asyncio.FIRST_EXCEPTION)
        for task in done:
            task.result()
    finally:
        await end_tasks(tasks)


async def end_tasks(tasks: Collection["asyncio.Task[Any]"]) -> None:
    """Returns once they have ended. One that takes a cancellation for something else is cancelled again."""
    running = {task for task in tasks if not task.done()}
    while running:
        for task in running:
            task.cancel()
        _, running = await asyncio.wait(running, timeout=_AGAIN_S)
