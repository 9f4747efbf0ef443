"""What a command loads: heavy modules only when they are used; and what is said of unknown words."""

import subprocess
import sys

import pytest

from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.help_text import Paragraphs
from kiteroll.cli.main import main

HEAVY = {"pydantic", "httpx", "sqlalchemy", "fastapi", "uvicorn", "rich", "cattrs", "asyncio"}


def _loaded(*words: str) -> set[str]:
    """Heavy modules that are loaded once a command has run."""
    script = (
        "import sys\n"
        "from kiteroll.cli.main import main\n"
        "try:\n    main(sys.argv[1:])\nexcept SystemExit:\n    pass\n"
        "print(*sys.modules, file=sys.stderr)\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", script, *words],
        capture_output=True, text=True, timeout=60, check=True,
        env={"PATH": "/usr/bin:/bin", "KITEROLL_DATA": "/nonexistent"},
    )  # fmt: skip
    return HEAVY & set(done.stderr.split())


@pytest.mark.parametrize("words", [("--version",), ("--help",), ("-h",)])
def test_help_and_version_load_nothing_heavy(words: tuple[str, ...]) -> None:
    assert _loaded(*words) == set()


def test_a_command_that_asks_the_service_loads_no_database_and_no_server() -> None:
    assert not _loaded("find", "52:4e") & {"sqlalchemy", "fastapi", "uvicorn", "cattrs"}


def test_an_unknown_option_brings_the_usage_of_its_own_command(capsys: pytest.CaptureFixture[str]) -> None:
    with pytest.raises(SystemExit) as ended:
        main(["rule", "enrol", "02:1a:05", "--because", "new"])
    reported = capsys.readouterr().err
    assert ended.value.code == Exit.USAGE
    assert reported.startswith("usage: kiteroll rule enrol ") and "it does not know --because new" in reported


def test_help_fills_its_paragraphs_and_leaves_examples_as_they_are() -> None:
    text = "One line\nand the next.\n\nThen:\n  kiteroll find 52:4e  --format json\n"
    filled = Paragraphs("kiteroll")._fill_text(text, 16, "")
    assert filled.splitlines() == [
        "One line and the",
        "next.",
        "",
        "Then:",
        "  kiteroll find 52:4e  --format json",
    ]


@pytest.mark.parametrize(
    ("typed", "text"),
    [
        ("alert-route set x --target t --escalate-to y", "--escalate-to: it goes with --escalate-after;"),
        ("switch add x 192.0.2.7 --snmp 3 --user u --privacy-password x", "--privacy-password: must have"),
        ("user add mara --role administrator --site Quays", "--site: an administrator"),
        ("round begin", "--site NAME or --all"),
        ("switch read", "--site NAME or --all"),
        ("switch add x --source linux", "host: name the bridge"),
    ],
)
def test_a_wrong_value_is_reported_by_its_option(
    typed: str, text: str, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(typed.split()) != Exit.OK
    assert text in capsys.readouterr().err
