"""How lists look in windows of any width, sorted, by chosen columns; spans, secrets and names as typed."""

import io
import re
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

import pytest

from kiteroll.cli.credential_options import secret
from kiteroll.cli.output import Column, Look, Output
from kiteroll.core.errors import Invalid
from kiteroll.core.model.natural_order import natural_key
from kiteroll.core.model.nearest import did_you_mean, nearest
from kiteroll.duration import parse_duration_s
from tests.support.factories import NOON, at

WHY = "a device nobody enrolled: brought along, exchanged, or plugged into the wrong socket"


@dataclass(frozen=True)
class Row:
    port: str
    count: int | None
    seen: datetime


COLUMNS: list[Column[Row]] = [
    Column("port", lambda one: one.port),
    Column("count", lambda one: one.count, right=True),
    Column("last seen", lambda one: one.seen),
    Column("why", lambda one: WHY),
]
ROWS = [Row("p10", 3, at(0)), Row("p2", None, at(5)), Row("p1", 20, at(1))]


def _shown(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch, width: int | None, look: Look
) -> list[str]:
    with monkeypatch.context() as window:
        if width is not None:
            window.setattr("sys.stdout.isatty", lambda: True)
            window.setenv("COLUMNS", str(width))
        Output("table", lambda: NOON, look).rows(ROWS, COLUMNS, empty="")
    return [re.sub(r"\x1b\[\d*m", "", line).rstrip() for line in capsys.readouterr().out.splitlines()]


@pytest.mark.parametrize("width", [30, 60, 80, 120, 200, None])
def test_nothing_is_cut_off_however_narrow_the_window(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch, width: int | None
) -> None:
    lines = _shown(capsys, monkeypatch, width, Look())
    text = " ".join(" ".join(lines).split())
    for word in ("p10", "p2", "p1", "20", "2026-05-04", "12:05:00Z"):
        assert word in text
    assert "".join(text.split()).count("socket") == 3 or width in (30, 60, 80), "long text goes on below"
    assert width is None or max(map(len, lines)) <= width
    assert ("port  count" in lines[0]) is (width != 30), "a record a row where it is too narrow for a table"


def test_columns_are_chosen_sorted_and_unnamed(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    def shown(look: Look) -> list[str]:
        return _shown(capsys, monkeypatch, None, look)

    assert shown(Look(columns=("port",), sort="port", headers=False)) == ["p1", "p2", "p10"]
    assert shown(Look(columns=("count", "port"), sort="-count"))[1:] == [
        "   20  p1",
        "    3  p10",
        "       p2",
    ]
    assert shown(Look(columns=("port",), sort="last_seen", headers=False)) == ["p10", "p1", "p2"]
    with pytest.raises(Invalid, match="no column 'prot'; there are port, count, last_seen, why"):
        shown(Look(columns=("prot",)))
    with pytest.raises(Invalid, match="json has every field"):
        Output("json", lambda: NOON, Look(columns=("port",))).rows(ROWS, COLUMNS, empty="")
    Output("csv", lambda: NOON, Look(columns=("port", "last_seen"), headers=False)).rows(
        ROWS, COLUMNS, empty=""
    )
    assert capsys.readouterr().out.splitlines()[0] == "p10,2026-05-04T12:00:00Z"


def test_times_are_shown_in_the_zone_of_the_machine_where_asked(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    (first,) = _shown(capsys, monkeypatch, None, Look(columns=("last_seen",), headers=False, local=True))[:1]
    assert first == NOON.astimezone().strftime("%Y-%m-%d %H:%M:%S")
    assert natural_key(datetime(2026, 5, 4, tzinfo=UTC)) < natural_key(NOON)
    Output("table", lambda: NOON, Look(local=True)).facts([("read at", NOON), ("port", "[p1]"), ("ip", "")])
    assert capsys.readouterr().out.splitlines() == [f"read at  {first}", "port     [p1]", "ip"]


@pytest.mark.parametrize(
    ("text", "seconds"), [("1h30m", 5400), ("1w", 604800), ("2d 12h", 216000), ("1.5h", 5400), ("500ms", 0.5)]
)
def test_spans_may_have_several_units(text: str, seconds: float) -> None:
    assert parse_duration_s(text) == seconds


@pytest.mark.parametrize("text", ["30m1h", "1h1h", "90", "", "h", "1h30", None, 90])
def test_what_is_no_span_is_refused(text: object) -> None:
    with pytest.raises(ValueError, match="is no duration"):
        parse_duration_s(text)


def test_secrets_come_from_elsewhere_than_the_command_line(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "community"
    file.write_text("tarn-read\n")
    monkeypatch.setenv("TARN", "from-the-environment")
    monkeypatch.setattr("sys.stdin", io.StringIO("from-a-pipe\n"))
    assert secret("plain", "--community") == "plain" and secret(None, "--community") is None
    assert secret(f"file:{file}", "--community") == "tarn-read"
    assert secret("env:TARN", "--community") == "from-the-environment"
    assert secret("-", "--community") == "from-a-pipe"
    for wrong, why in (("file:/none", "cannot be read"), ("env:NONE", "is not set"), ("-", "is empty")):
        with pytest.raises(Invalid, match=why):
            secret(wrong, "--community")


def test_a_mistyped_name_brings_the_nearest() -> None:
    known = ["quay-1", "quay-2", "ticket-hall"]
    assert nearest("ticket-hal", known) == ["ticket-hall"] and nearest("QUAY-1", known)[0] == "quay-1"
    assert did_you_mean("qay-1", known, "see the list") == "did you mean quay-1 or quay-2? see the list"
    assert did_you_mean("core-9", known, "see the list") == "see the list"
