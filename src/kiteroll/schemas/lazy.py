"""Packages whose names are loaded from their modules when they are first used (PEP 562)."""

from collections.abc import Callable, Mapping
from importlib import import_module
from typing import Any


def loader(
    name: str, package: str, modules: Mapping[str, str], namespace: dict[str, Any]
) -> Callable[[str], Any]:
    """The `__getattr__` of module `name`. `modules`: which module of `package` has each of its names;
    `namespace`: its globals, which keep what was loaded."""

    def load(wanted: str) -> Any:
        if wanted not in modules:
            raise AttributeError(f"module {name!r} has no attribute {wanted!r}")
        value = namespace[wanted] = getattr(import_module(f"{package}.{modules[wanted]}"), wanted)
        return value

    return load
