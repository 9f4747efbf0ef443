"""`kiteroll replay`: recorded readings through the finding engine, without service or database."""

import gzip
import json
import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import pytest

from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.main import main
from kiteroll.core.model.reading import Reading
from kiteroll.schemas.reading_convert import to_document
from tests.support.factories import mac, reading

UPLINK = {"p24": 24}
FLAP = [reading(minute, {(1, 10): "p1" if minute % 2 else "p2", (2, 10): "p3"}) for minute in range(8)]
OTHER = [reading(minute + 0.5, {(9, 10): "p7"}, switch="quay-2") for minute in range(8)]


def _lines(readings: Sequence[Reading]) -> str:
    return "\n".join(to_document(one).model_dump_json() for one in readings)


@pytest.fixture
def recorded(tmp_path: Path) -> dict[str, Path]:
    """Two switches: one as JSON Lines, packed; the other as a list."""
    packed, listed = tmp_path / "quay-1.jsonl.gz", tmp_path / "quay-2.json"
    packed.write_bytes(gzip.compress(_lines(FLAP).encode()))
    listed.write_text("[" + ",".join(_lines(OTHER).splitlines()) + "]")
    return {"quay-1": packed, "quay-2": listed}


def _result(capfd: pytest.CaptureFixture[str], *words: object) -> dict[str, Any]:
    assert main(["replay", *map(str, words), "--format", "json"]) == Exit.OK
    result: dict[str, Any] = json.loads(capfd.readouterr().out)
    return result


def test_files_are_merged_by_time_and_every_member_of_the_result_is_there(
    recorded: dict[str, Path], capfd: pytest.CaptureFixture[str]
) -> None:
    result = _result(capfd, *recorded.values())
    assert list(result) == ["from", "until", "switches", "readings", "findings", "homes", "roles"]
    assert (result["from"], result["until"]) == ("2026-05-04T12:00:00Z", "2026-05-04T12:07:30Z")
    assert (result["switches"], result["readings"]) == (2, 16)
    flap = next(one for one in result["findings"] if one["kind"] in ("flapping", "doubled-address"))
    assert list(flap) == [
        *("id", "kind", "severity", "title", "cause", "opened_at", "last_at", "cleared_at", "times_opened"),
        *("count", "part_of", "mac", "switch", "port", "ip", "ports", "macs"),
    ]
    assert (flap["mac"], flap["switch"], flap["port"], flap["ip"]) == (str(mac(1)), None, None, None)
    assert ["quay-1", "p1"] in flap["ports"] and flap["count"] >= 3 and flap["cleared_at"] is None


def test_homes_are_intervals_that_join_up_and_the_last_one_is_open(
    recorded: dict[str, Path], capfd: pytest.CaptureFixture[str]
) -> None:
    homes = _result(capfd, recorded["quay-1"])["homes"]
    of_one = sorted((one for one in homes if one["mac"] == str(mac(1))), key=lambda one: one["from"])
    assert [one["port"] for one in of_one] == ["p2", "p1"] * 4
    assert [one["until"] for one in of_one] == [*(one["from"] for one in of_one[1:]), None]
    (stays,) = (one for one in homes if one["mac"] == str(mac(2)))
    assert (stays["switch"], stays["port"], stays["vlan"], stays["until"]) == ("quay-1", "p3", 10, None)
    assert stays["confidence"] == "sure"


def test_roles_are_intervals_too(tmp_path: Path, capfd: pytest.CaptureFixture[str]) -> None:
    """A port is an uplink while the address of another switch is learned there."""

    def documents(name: str, own: int, other: int | None) -> list[dict[str, Any]]:
        found = []
        for minute in range(4):
            there = other is not None and minute < 2
            one = reading(minute + own / 100, {(other or 0, 1): "p24"} if there else {}, switch=name)
            document = to_document(one).model_dump(mode="json")
            document["device"]["bridge_address"] = str(mac(own))
            found.append(document)
        return found

    file = tmp_path / "pair.json"
    documents_of_both = [*documents("a", 71, 72), *documents("b", 72, None)]
    file.write_text(json.dumps(sorted(documents_of_both, key=lambda one: str(one["taken_at"]))))
    (role,) = _result(capfd, file)["roles"]
    assert (role["switch"], role["port"], role["role"]) == ("a", "p24", "uplink")
    assert role["from"] < role["until"]


def test_rules_are_read_from_toml_and_broken_ones_found(
    recorded: dict[str, Path], tmp_path: Path, capfd: pytest.CaptureFixture[str]
) -> None:
    rules = tmp_path / "rules.toml"
    rules.write_text(
        "[switch.quay-2]\nwatched = true\n[switch.quay-2.port.p7]\nseats = 1\n"
        'roll = [{ address = "02:1a:05", vlan = 10 }]\n'
    )
    found = _result(capfd, recorded["quay-2"], "--rules", rules)["findings"]
    assert [(one["kind"], one["switch"], one["port"], one["mac"]) for one in found] == [
        ("stranger", "quay-2", "p7", str(mac(9)))
    ]


def test_shared_addresses_raise_nothing(recorded: dict[str, Path], capfd: pytest.CaptureFixture[str]) -> None:
    assert _result(capfd, recorded["quay-1"], "--shared", "02:1a:01")["findings"] == []
    assert main(["replay", str(recorded["quay-1"]), "--shared", "gate"]) == Exit.USAGE
    assert "neither an address nor a prefix" in capfd.readouterr().err


def test_a_clock_that_steps_back_is_reported_and_changes_nothing(
    tmp_path: Path, capfd: pytest.CaptureFixture[str]
) -> None:
    file = tmp_path / "back.jsonl"
    there = [reading(minute, {(1, 10): "p1"}) for minute in (0, 1, 2)]
    back = reading(-60, {(1, 10): "p9"})
    file.write_text(_lines([*there, back, reading(3, {(1, 10): "p1"})]))
    assert main(["replay", str(file), "--format", "json"]) == Exit.OK
    out = capfd.readouterr()
    result = json.loads(out.out)
    assert (result["readings"], result["until"], result["findings"]) == (5, "2026-05-04T12:03:00Z", [])
    assert "1 of 5 readings were not later" in out.err


@pytest.mark.parametrize(
    ("name", "content", "reported"),
    [
        ("a.json", b'{"format": "kiteroll-reading"', "a.json"),
        ("a.jsonl.gz", b"no gzip at all", "cannot be read"),
        ("a.json", b"\xff\xfe", "not UTF-8"),
        ("a.json", b'[{"format": "other"}]', "format"),
    ],
)
def test_a_bad_file_is_refused_with_its_name(
    tmp_path: Path, capfd: pytest.CaptureFixture[str], name: str, content: bytes, reported: str
) -> None:
    (tmp_path / name).write_bytes(content)
    assert main(["replay", str(tmp_path / name)]) == Exit.USAGE
    out = capfd.readouterr()
    assert reported in out.err and out.out == "" and "Traceback" not in out.err


@pytest.mark.parametrize(
    ("text", "reported"),
    [
        ("rule = 3", "rule: "),
        ("[group.access]\nseats = 1\n", "set it for the switches"),
        ("[switch.a]\nseats = -1\n", "switch.a.seats"),
        ('[switch.a]\nroll = [{ address = "kiosk" }]\n', "'kiosk' is neither"),
        ("[switch.a]\nseats = 1\n[switch.a]\nseats = 2\n", "TOML: "),
        ("[[rule]\n", "at line 1"),
    ],
)
def test_bad_rules_are_refused_with_their_place(
    recorded: dict[str, Path], tmp_path: Path, capfd: pytest.CaptureFixture[str], text: str, reported: str
) -> None:
    rules = tmp_path / "rules.toml"
    rules.write_text(text)
    assert main(["replay", str(recorded["quay-1"]), "--rules", str(rules)]) == Exit.USAGE
    assert reported in capfd.readouterr().err


def test_it_needs_neither_service_nor_database_nor_a_home(recorded: dict[str, Path]) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "kiteroll.cli", "replay", str(recorded["quay-1"])],
        capture_output=True, text=True, timeout=60, check=False, env={"PATH": "/usr/bin:/bin"},
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert str(mac(1)) in done.stdout and "readings" in done.stdout
