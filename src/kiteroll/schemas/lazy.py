"""Packages whose names are loaded from their modules when they are first used (PEP 562)."""

from collections.abc import Callable, Mapping
from importlib import import_module
from typing import Any


def loader(
    name: str, package: str, names: Mapping[str, str], namespace: dict[str, Any]
) -> tuple[Callable[[str], Any], list[str]]:
    """`__getattr__` and `__all__` of module `name`. `names`: those of each module of `package`, with blanks
    between; `namespace`: its globals, which keep what was loaded."""
    modules = {one: module for module, given in names.items() for one in given.split()}

    def load(wanted: str) -> Any:
        if wanted not in modules:
            raise AttributeError(f"module {name!r} has no attribute {wanted!r}")
        value = namespace[wanted] = getattr(import_module(f"{package}.{modules[wanted]}"), wanted)
        return value

    return load, list(modules)
