"""What holds the code together: arrows between packages, errors that are mapped, files that are current."""

import ast
from pathlib import Path

import pytest
from scripts import generated

from kiteroll.core import errors
from kiteroll.core.errors import KiteRollError
from kiteroll.service.problems import status_of

SOURCE = Path(__file__).parents[1] / "src" / "kiteroll"
MAY_IMPORT = {
    "core": set(),
    "snmp": set(),
    "collect": {"core", "snmp"},
    "store": {"core"},
    "schemas": {"core"},
    "lab": {"core", "snmp"},
    "client": {"core", "schemas"},
    "service": {"collect", "core", "schemas", "snmp", "store"},
    "cli": {"client", "core", "schemas"},
}
SHARED = {"clock", "duration", "data_dir", ""}
"""Modules at the top, that any package but the core may use."""
EXCEPTIONS = {
    "cli/probe.py": {"collect", "snmp"},  # reads a switch without a service
    "cli/up.py": {"service"},  # starts it
    "cli/demo.py": {"service"},  # the same
    "lab/__main__.py": {"schemas"},  # tells its past as reading documents
}


def _imports(file: Path) -> set[str]:
    found = set()
    for node in ast.walk(ast.parse(file.read_text())):
        names = [alias.name for alias in node.names] if isinstance(node, ast.Import) else []
        if isinstance(node, ast.ImportFrom):
            assert node.level == 0, f"{file}: relative import"
            names = [
                f"{node.module}.{alias.name}" if node.module == "kiteroll" else str(node.module)
                for alias in node.names
            ]
        found |= {name.split(".")[1] for name in names if name.startswith("kiteroll.")}
    return found - {"__version__"}


@pytest.mark.parametrize("package", sorted(MAY_IMPORT))
def test_arrows_point_one_way(package: str) -> None:
    for file in (SOURCE / package).rglob("*.py"):
        name = str(file.relative_to(SOURCE))
        allowed = MAY_IMPORT[package] | {package} | EXCEPTIONS.get(name, set())
        allowed |= SHARED if package != "core" else set()
        assert _imports(file) <= allowed, name


def test_the_core_asks_no_clock_and_does_no_io() -> None:
    for file in (SOURCE / "core").rglob("*.py"):
        modules = {
            (node.module if isinstance(node, ast.ImportFrom) else node.names[0].name).split(".")[0]  # type: ignore[union-attr]
            for node in ast.walk(ast.parse(file.read_text()))
            if isinstance(node, ast.Import | ast.ImportFrom)
        }
        assert not modules & {
            "asyncio",
            "os",
            "pathlib",
            "socket",
            "time",
            "random",
            "logging",
            "sqlalchemy",
            "fastapi",
        }, file


def _leaves(kind: type[KiteRollError]) -> list[type[KiteRollError]]:
    return [kind, *(leaf for child in kind.__subclasses__() for leaf in _leaves(child))]


def test_every_error_has_a_status_and_stands_in_the_drawn_tree() -> None:
    drawn = errors.__doc__ or ""
    for kind in _leaves(KiteRollError):
        if kind.__module__ == "kiteroll.core.errors" and kind is not KiteRollError:
            assert 400 <= status_of(kind)[0] < 600
            assert kind.__name__ in drawn


def test_generated_files_are_current() -> None:
    assert generated.stale() == []
