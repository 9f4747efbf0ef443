"""The two wheels, unpacked into an environment that has what they declare and nothing else."""

import os
import subprocess
import sys
import venv
import zipfile
from importlib.metadata import distribution, requires
from pathlib import Path

import pytest
from packaging.requirements import Requirement
from scripts.make_wheels import OF_THE_SERVICE, build

from tests.support.harness import Service
from tests.support.ports import free_tcp_port


@pytest.fixture(scope="module")
def wheels(tmp_path_factory: pytest.TempPathFactory) -> list[Path]:
    return build(tmp_path_factory.mktemp("dist"))


def _environment(directory: Path, *wheels: Path) -> Path:
    """A Python with these wheels, and what they need linked from this one; returns its program."""
    venv.create(directory, with_pip=False)
    (packages,) = directory.glob("lib/python*/site-packages")
    needed: set[str] = set()
    for wheel in wheels:
        with zipfile.ZipFile(wheel) as archive:
            names = archive.namelist()
            archive.extractall(packages)
        (about,) = (packages / one for one in names if one.endswith(".dist-info/METADATA"))
        for line in about.read_text().splitlines():
            if line.startswith("Requires-Dist: "):
                _add_needed(Requirement(line.removeprefix("Requires-Dist: ")), needed)
    for name in needed - {"kiteroll-client"}:
        for file in distribution(name).files or ():
            top = packages / file.parts[0]
            source = Path(str(distribution(name).locate_file(file.parts[0])))
            if file.parts[0] != ".." and not top.exists():
                top.symlink_to(source)
    return directory / "bin" / "python"


def _add_needed(one: Requirement, found: set[str]) -> None:
    name = one.name.lower()
    if name in found or (one.marker is not None and not one.marker.evaluate({"extra": ""})):
        return
    found.add(name)
    for text in () if name == "kiteroll-client" else requires(name) or ():
        _add_needed(Requirement(text), found)


def _run(python: Path, *words: str, **environment: str) -> "subprocess.CompletedProcess[str]":
    reported = {
        name: value for name, value in os.environ.items() if not name.startswith("PYTHON")
    } | environment
    return subprocess.run([python, *words], capture_output=True, text=True, timeout=60, env=reported)


def test_the_client_needs_no_server_and_no_compiler(
    wheels: list[Path], service: Service, tmp_path: Path
) -> None:
    python = _environment(tmp_path / "env", wheels[0])
    everything = (
        "import pkgutil, importlib, kiteroll.client\n"
        "for one in pkgutil.walk_packages(kiteroll.client.__path__, 'kiteroll.client.'):\n"
        "    importlib.import_module(one.name)\n"
        "from kiteroll.client import *\n"
        "import sys\n"
        "print(sorted(sys.modules.keys() & {'sqlalchemy', 'fastapi', 'MySQLdb', 'cryptography', 'tomlkit'}))"
    )
    ran = _run(python, "-c", everything)
    assert ran.stdout == "[]\n", ran.stderr
    access = {"KITEROLL_URL": service.url, "KITEROLL_TOKEN": service.token}
    found = _run(python, "-m", "kiteroll.cli", "find", "quay-1", **access)
    assert found.returncode == 0 and "quay-1" in found.stdout, found.stderr
    for file in sorted(OF_THE_SERVICE - {"cli/replay_files.py", "cli/collector_role.py"}):
        missing = _run(python, "-m", "kiteroll.cli", Path(file).stem)
        assert missing.returncode == 2 and "pip install kiteroll" in missing.stderr, missing.stderr
    assert "kiteroll-client[completion]" in _run(python, "-m", "kiteroll.cli", "completion", "bash").stderr


def test_the_service_runs_from_both_wheels_and_serves_its_console(wheels: list[Path], tmp_path: Path) -> None:
    python = _environment(tmp_path / "env", *wheels)
    one = Service(data=tmp_path / "data", port=free_tcp_port(), python=str(python))
    one.start()
    try:
        where = _run(python, "-c", "import kiteroll.api.app as app; print(app.__file__)").stdout
        assert where.startswith(str(tmp_path))
        with one.http() as browser:
            page = browser.get("/")
        assert page.status_code == 200 and '<div id="root">' in page.text
        ran = _run(python, "-m", "kiteroll.cli", "health", "--url", one.url, "--data", str(one.data))
        assert ran.returncode == 0, ran.stderr
    finally:
        assert one.end() == 0
    assert sys.prefix not in one.log
