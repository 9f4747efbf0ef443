"""What the documentation says to type runs, and finds something."""

import contextlib
import io
import os
import re
import shlex
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

from kiteroll.cli.main import build_parser
from kiteroll.client import change_rules, change_switch
from kiteroll.schemas.api import RuleChange, RulesPatch, SwitchChange
from tests.support.harness import Lab, Service

ROOT = Path(__file__).parents[2]
_COMMAND = re.compile(r"^(?:    |\$ )(kiteroll (?:[^\n\\]|\\\n)*)", re.MULTILINE)
_MODEL = re.compile(r"\.\.\.|\[--|FILE|\$\(")
"""Lines that show how a command is written, not one."""


def _commands(text: str) -> list[list[str]]:
    found = [one.replace("\\\n", " ") for one in _COMMAND.findall(text) if not _MODEL.search(one)]
    return [shlex.split(one, comments=True)[1:] for one in found]


@pytest.mark.parametrize(
    "file", sorted([*(ROOT / "docs").glob("*.md"), ROOT / "README.md"]), ids=lambda f: f.name
)
def test_every_command_is_one(file: Path) -> None:
    for words in _commands(file.read_text()):
        said = io.StringIO()
        try:
            with contextlib.redirect_stderr(said):
                build_parser(words).parse_args(words)
        except SystemExit:
            pytest.fail(f"{file.name}: kiteroll {shlex.join(words)}: {said.getvalue()}")


@pytest.fixture
def as_in_the_demo(service: Service, lab: Lab) -> Iterator[None]:
    """The switches of the tests are at no site, and none of them has rules; so they are again afterwards."""
    with service.client() as kite:
        kite.send(change_switch("quay-1", SwitchChange(site="Quays")))
        yield
        kite.send(change_switch("quay-1", SwitchChange(site="")))
        rule = RuleChange(switch="quay-2", seats=None)
        kite.send(change_rules(RulesPatch(changes=[rule])))


@pytest.mark.usefixtures("as_in_the_demo")
def test_the_first_steps_of_the_readme_find_something(service: Service, tmp_path: Path) -> None:
    text = (ROOT / "README.md").read_text()
    steps = _commands(text[text.index("## First steps") : text.index("On your own network")])
    assert len(steps) >= 12
    reported = {**os.environ, "KITEROLL_URL": service.url, "KITEROLL_DATA": str(service.data)}
    for words in steps:
        # The network of the tests has no past: what was an hour ago there is now.
        words = ["now" if word == "1h" else word for word in words]
        command = [sys.executable, "-m", "kiteroll.cli", *words]
        ran = subprocess.run(command, capture_output=True, text=True, timeout=120, env=reported, cwd=tmp_path)
        quiet = words[0] in ("finding", "rehearse", "roll-call")
        assert ran.returncode == 0 or quiet, (words, ran.stderr)
        assert "Traceback" not in ran.stderr
        assert ran.stdout or ran.stderr, words
        assert "no match" not in ran.stderr, words


def test_examples_of_the_client_run_one_after_another(service: Service, lab: Lab, tmp_path: Path) -> None:
    blocks = re.findall(r"```python\n(.*?)```", (ROOT / "docs" / "client.md").read_text(), re.DOTALL)
    assert len(blocks) == 5
    for block in blocks:
        given = {"url": service.url, "token": service.token, "directory": str(tmp_path)}
        exec(compile(block, "docs/client.md", "exec"), given)
    assert (tmp_path / "stays.csv").read_text().startswith("switch;port;port_alias;")
