"""Builds two wheels into dist/: `kiteroll-client` (library and command line) and `kiteroll` (the service).

Both bring parts of one package. The client has what runs without a service at hand, and needs no compiler
and no database; the service needs the client. `make wheels` runs it.
"""

import shutil
import subprocess
import sys
import tempfile
import tomllib
from pathlib import Path
from typing import Any

import tomlkit

ROOT = Path(__file__).parents[1]
SOURCE, DIST = ROOT / "src" / "kiteroll", ROOT / "dist"
CLIENT = (
    *("__init__.py", "py.typed", "clock.py", "data_dir.py", "duration.py", "model_errors.py"),
    *("cli", "client", "core", "schemas", "wording"),
)
OF_THE_SERVICE = frozenset(
    f"cli/{name}.py"
    for name in (
        "backup",
        "check",
        "collector_role",
        "demo",
        "doctor",
        "probe",
        "replay",
        "replay_files",
        "up",
    )
)
"""Commands that need more than the client."""
_CLIENT_NEEDS = ("httpx", "pydantic", "rich")
_IGNORED = shutil.ignore_patterns("__pycache__")


def main() -> None:
    for wheel in build(DIST):
        print(wheel)


def build(target: Path) -> list[Path]:
    """Both wheels, the client's first."""
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    with tempfile.TemporaryDirectory() as directory:
        client, service = Path(directory) / "client", Path(directory) / "service"
        _stage(client, _client_project(project))
        _stage(service, _service_project(project))
        _part(client, service)
        return [_wheel(client, target), _wheel(service, target)]


def _client_project(project: dict[str, Any]) -> dict[str, Any]:
    needs = [one for one in project["dependencies"] if one.split(">")[0] in _CLIENT_NEEDS]
    completion = [one for one in project["dependencies"] if one.startswith("argcomplete")]
    yaml = [one for one in project["dependencies"] if one.startswith("pyyaml")]
    return {
        "name": "kiteroll-client",
        "description": "Client library and command line of Kite Roll",
        "dependencies": needs,
        "optional-dependencies": {"completion": completion, "yaml": yaml},
        "scripts": project["scripts"],
    }


def _service_project(project: dict[str, Any]) -> dict[str, Any]:
    extras = {name: needs for name, needs in project["optional-dependencies"].items() if name != "dev"}
    return {
        "name": "kiteroll",
        "description": project["description"],
        "dependencies": [f"kiteroll-client=={project['version']}", *project["dependencies"]],
        "optional-dependencies": extras,
    }


def _stage(directory: Path, own: dict[str, Any]) -> None:
    whole = tomllib.loads((ROOT / "pyproject.toml").read_text())
    shared = {name: whole["project"][name] for name in ("version", "readme", "requires-python", "license")}
    wheel = {"packages": ["src/kiteroll"], "artifacts": ["src/kiteroll/api/console_dist"]}
    document = {
        "build-system": whole["build-system"],
        "project": {**own, **shared},
        "tool": {"hatch": {"build": {"targets": {"wheel": wheel}}}},
    }
    directory.mkdir()
    (directory / "pyproject.toml").write_text(tomlkit.dumps(document))
    for name in ("README.md", "LICENSE"):
        shutil.copy(ROOT / name, directory / name)
    shutil.copytree(SOURCE, directory / "src" / "kiteroll", ignore=_IGNORED)


def _part(client: Path, service: Path) -> None:
    """Each file stays in one of the two."""
    for file in sorted((client / "src" / "kiteroll").rglob("*")):
        if not file.is_file():
            continue
        name = file.relative_to(client / "src" / "kiteroll").as_posix()
        in_client = name.split("/")[0] in CLIENT and name not in OF_THE_SERVICE
        (service / "src" / "kiteroll" / name if in_client else file).unlink()


def _wheel(directory: Path, target: Path) -> Path:
    target.mkdir(exist_ok=True)
    command = [sys.executable, "-m", "hatchling", "build", "-t", "wheel", "-d", str(target.resolve())]
    subprocess.run(command, cwd=directory, check=True, stdout=subprocess.DEVNULL)
    project = tomllib.loads((directory / "pyproject.toml").read_text())["project"]
    return target / f"{project['name'].replace('-', '_')}-{project['version']}-py3-none-any.whl"


if __name__ == "__main__":
    main()
