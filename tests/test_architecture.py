"""What holds the code together: arrows between packages, no cycles, errors that are mapped, current files."""

import ast
from collections.abc import Mapping
from pathlib import Path

import pytest
from scripts import generated

from kiteroll.api.contract.problem_types import PROBLEM_TYPES
from kiteroll.core import errors
from kiteroll.core.errors import KiteRollError

SOURCE = Path(__file__).parents[1] / "src" / "kiteroll"
MAY_IMPORT: Mapping[str, set[str]] = {
    "core": set(),
    "snmp": set(),
    "wording": {"core"},
    "collect": {"core", "snmp"},
    "store": {"core"},
    "schemas": {"core"},
    "lab": {"core", "snmp"},
    "client": {"core", "schemas"},
    "deliver": set(),
    "bus": {"collect", "core", "schemas"},
    "collector": {"app", "bus", "collect", "core"},
    "tracker": {"app", "bus", "collect", "core", "store"},
    "app": {"bus", "collect", "core", "deliver", "snmp", "store", "wording"},
    "api": {"app", "core", "schemas", "wording"},
    "cli": {"client", "core", "schemas", "wording"},
}
SHARED = {
    "clock",
    "tasks",
    "memory",
    "duration",
    "data_dir",
    "model_errors",
    "private_file",
    "setting_types",
    "",
}
"""Modules at the top, that any package but the core may use."""
EXCEPTIONS = {
    "cli/probe.py": {"collect", "snmp"},  # reads a switch without a service
    "cli/backup.py": {"app"},  # works on the data directory, with or without a service
    "cli/doctor.py": {"app"},  # the same
    "cli/check.py": {"api", "app"},  # looks at what the service would use
    "cli/up.py": {"api", "app", "tracker"},  # starts the service, or a part of it
    "cli/collector_role.py": {"app", "bus", "collector"},  # is the collector
    "cli/demo.py": {"api", "app"},  # the same
    "lab/__main__.py": {"schemas"},  # prints its past as reading documents
}
WHOLE = {"Parts", "Basis", "Runtime", "Service", "Application"}
"""Names of what is built whole: only the composition root and its entrance may be handed it, or a
group of parts."""


def _module(file: Path) -> str:
    parts = ["kiteroll", *file.relative_to(SOURCE).with_suffix("").parts]
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


MODULES = {_module(file): file for file in SOURCE.rglob("*.py")}


def imports_of(source: str, modules: Mapping[str, object]) -> set[str]:
    """Modules of ours that a source imports, also inside functions and for types only."""
    names: set[str] = set()
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.Import):
            names |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom):
            assert node.level == 0 and node.module, "relative import"
            names |= {node.module} | {f"{node.module}.{alias.name}" for alias in node.names}
    return {name for name in names if name in modules}


def cycles(imports: Mapping[str, set[str]]) -> list[list[str]]:
    """Circles of modules; a package may name its own modules."""
    state: dict[str, bool] = {}
    found: list[list[str]] = []

    def visit(module: str, path: list[str]) -> None:
        state[module] = False
        for other in sorted(imports[module]):
            if module.startswith(f"{other}.") or other.startswith(f"{module}."):
                continue
            if other not in state:
                visit(other, [*path, other])
            elif not state[other]:
                found.append(path[path.index(other) :])
        state[module] = True

    for module in sorted(imports):
        if module not in state:
            visit(module, [module])
    return found


IMPORTS = {module: imports_of(file.read_text(), MODULES) - {module} for module, file in MODULES.items()}


@pytest.mark.parametrize("package", sorted(MAY_IMPORT))
def test_arrows_between_packages_point_one_way(package: str) -> None:
    for module, file in MODULES.items():
        if module.split(".")[1:2] != [package]:
            continue
        name = str(file.relative_to(SOURCE))
        allowed = MAY_IMPORT[package] | {package} | EXCEPTIONS.get(name, set())
        allowed |= SHARED if package != "core" else set()
        packages = {other.split(".")[1] for other in IMPORTS[module] if other != "kiteroll"}
        assert packages <= allowed, name


def test_every_package_has_its_arrows_drawn() -> None:
    assert {file.parent.name for file in SOURCE.glob("*/__init__.py")} == set(MAY_IMPORT)


def test_no_files_import_each_other_in_a_circle() -> None:
    assert cycles(IMPORTS) == []


def test_a_circle_would_be_found() -> None:
    assert cycles({"a.x": {"a.y"}, "a.y": {"a.z"}, "a.z": {"a.x"}, "a": {"a.x"}}) == [["a.x", "a.y", "a.z"]]
    assert imports_of("def f():\n    from a.x import g", {"a.x": 0, "a": 0}) == {"a.x"}


def test_no_class_is_handed_the_whole_application() -> None:
    handed = {
        (module, argument.arg)
        for module, file in MODULES.items()
        for node in ast.walk(ast.parse(file.read_text()))
        if isinstance(node, ast.ClassDef)
        for function in node.body
        if isinstance(function, ast.FunctionDef | ast.AsyncFunctionDef)
        for argument in function.args.args + function.args.kwonlyargs
        if argument.annotation is not None
        and ((name := ast.unparse(argument.annotation).strip("'\"")) in WHOLE or name.endswith("Parts"))
    }
    assert handed == set()


def test_the_core_reads_no_clock_and_does_no_io() -> None:
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
            assert 400 <= PROBLEM_TYPES[kind.code].status < 600
            assert kind.__name__ in drawn


def test_generated_files_are_current() -> None:
    assert generated.stale() == []
