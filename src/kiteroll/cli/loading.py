"""Loads modules of commands, of which the client alone comes without some."""

from importlib import import_module
from typing import Any


def load(name: str) -> Any:
    """A module of `kiteroll.cli`; None where it, or what it needs, is part of the service and the client is
    installed alone."""
    try:
        return import_module(f"kiteroll.cli.{name}")
    except ModuleNotFoundError as missing:
        if not (missing.name or "").startswith("kiteroll."):
            raise
        return None
