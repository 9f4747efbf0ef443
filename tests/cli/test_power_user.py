"""The command line as somebody uses it all day: pasted lists, few digits, a profile, inventories as files."""

import csv
import io
import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.inventory_files import read_inventory
from kiteroll.cli.profile import load_profile
from kiteroll.client import Client, add_switch, change_labels, remove_switch, stays
from kiteroll.core.errors import ConfigError, Invalid
from kiteroll.schemas.api import LabelChanges
from tests.support.harness import Lab, Service


def kiteroll(
    *words: str, service: Service, given: str = "", **environment: Any
) -> "subprocess.CompletedProcess[str]":
    reported = {**os.environ, "KITEROLL_URL": service.url, "KITEROLL_DATA": str(service.data), **environment}
    command = [sys.executable, "-m", "kiteroll.cli", *words]
    return subprocess.run(command, input=given, capture_output=True, text=True, timeout=60, env=reported)


@pytest.fixture(scope="module")
def somebody(service: Service, lab: Lab) -> str:
    """The address of an endpoint at an access port."""
    with Client(service.url, service.token) as kite:
        return next(iter(kite.each(stays(switch="quay-1", uplinks=False)))).mac


def test_each_text_of_a_pasted_list_has_its_result(service: Service, somebody: str) -> None:
    pasted = f'"{somebody}", nowhere-at-all;\n(02:1a:zz)\nquay-1\n'
    ran = kiteroll("find", "-", "--format", "csv", service=service, given=pasted)
    rows = list(csv.DictReader(io.StringIO(ran.stdout)))
    assert [(row["query"], row["found"]) for row in rows][:3] == [
        (somebody, "endpoint"),
        ("nowhere-at-all", "nothing"),
        ("02:1a:zz", "invalid"),
    ]
    assert rows[0]["switch"] == "quay-1" and rows[3]["query"] == "quay-1"
    assert ran.returncode == Exit.PARTIAL
    reported = ran.stderr.splitlines()
    assert "nowhere-at-all: no match" in reported and any(
        "'z' is not a hexadecimal" in line for line in reported
    )
    assert kiteroll("find", "-", service=service, given=" ,; ").returncode == Exit.USAGE


def test_as_many_digits_as_tell_it_from_others_are_enough(service: Service, somebody: str) -> None:
    shown = kiteroll("endpoint", "show", somebody[-8:], service=service)
    assert shown.returncode == 0 and somebody in shown.stdout and f"is {somebody}" in shown.stderr
    several = kiteroll("endpoint", "show", "02:1a", service=service)
    assert several.returncode == Exit.USAGE and "and more: type more of it" in several.stderr
    assert kiteroll("path", "fe:fe:fe:fe", service=service).returncode == Exit.NOTHING


def test_csv_of_the_command_line_is_that_of_an_export(service: Service, tmp_path: Path) -> None:
    listed = kiteroll("switch", "list", "--format", "csv", service=service).stdout
    assert kiteroll("export", "switches", str(tmp_path / "s.csv"), service=service).returncode == 0
    heading, *_ = (tmp_path / "s.csv").read_text().splitlines()
    assert listed.splitlines()[0] == heading
    some = kiteroll("switch", "list", "--format", "csv", "--columns", "name,read_at", service=service).stdout
    assert some.startswith("name,read_at\n") and "Z\n" in some


def test_an_exported_inventory_is_imported_again(service: Service, tmp_path: Path) -> None:
    for name in ("s.csv", "s.json", "s.jsonl"):
        file = tmp_path / name
        assert kiteroll("export", "switches", str(file), service=service).returncode == 0
        again = kiteroll("switch", "import", str(file), "--dry-run", "--format", "json", service=service)
        assert again.returncode == 0, again.stderr
        assert {step["action"] for step in json.loads(again.stdout)} == {"same"}
    other = str(tmp_path / "other.csv")
    assert kiteroll("export", "switches", other, "--separator", "semicolon", service=service).returncode == 0
    again = kiteroll("switch", "import", other, "--dry-run", service=service)
    assert again.returncode == 0, again.stderr


def test_a_dry_run_is_checked_by_the_service_and_an_import_is_whole(service: Service, tmp_path: Path) -> None:
    file = tmp_path / "yard.ini"
    file.write_text(
        "# what is new\n[yards]\nsite=Yard credential=missing enabled=false\n"
        'yard-7 address=127.0.0.1:9\nyard-8 address=127.0.0.1:10 notes="behind the shed"\n'
    )
    dry = kiteroll("switch", "import", str(file), "--dry-run", service=service)
    assert dry.returncode == Exit.USAGE and "yard-7: no credential 'missing'" in dry.stderr
    assert "yard-8: no credential 'missing'" in dry.stderr
    assert kiteroll("credential", "add", "yard", "--community", "c", service=service).returncode == 0
    file.write_text(file.read_text().replace("missing", "yard"))
    assert kiteroll("switch", "import", str(file), service=service).returncode == 0
    shown = kiteroll("switch", "show", "yard-8", service=service).stdout
    assert "behind the shed" in shown and "yards" in shown and " 10\n" in shown
    for name in ("yard-7", "yard-8"):
        assert kiteroll("switch", "remove", name, service=service).returncode == 0
    assert kiteroll("credential", "remove", "yard", service=service).returncode == 0


@pytest.mark.parametrize(
    ("name", "text"),
    [
        ("a.csv", "name;host;port;groups\nquay-9;192.0.2.9;1161;quays sheds\n"),
        ("a.json", '[{"name": "quay-9", "host": "192.0.2.9", "port": 1161, "groups": ["quays", "sheds"]}]'),
        ("a.yaml", "quay-9:\n  host: 192.0.2.9\n  port: 1161\n  groups: [quays, sheds]\n  present: 9\n"),
        ("a.yml", "switches:\n- {name: quay-9, host: 192.0.2.9, port: 1161, groups: quays sheds}\n"),
        ("a.ini", "[sheds]\nquay-9 host=192.0.2.9 port=1161 groups=quays\n"),
    ],
)
def test_inventories_come_in_the_common_forms(tmp_path: Path, name: str, text: str) -> None:
    (tmp_path / name).write_text(text)
    ((_, row),) = read_inventory(tmp_path / name)
    groups = row["groups"] if isinstance(row["groups"], list) else row["groups"].split()
    assert (row["name"], row["host"], str(row["port"]), groups) == (
        "quay-9",
        "192.0.2.9",
        "1161",
        ["quays", "sheds"],
    )


@pytest.mark.parametrize(
    ("name", "text", "reported"),
    [
        ("a.csv", "name,colour\nx,red\n", "line 1: there is no column 'colour'"),
        ("a.json", '[{"name": "x", "colour": "red"}]', "there is no setting 'colour'"),
        ("a.json", '{"name": ', "is not JSON"),
        ("a.yaml", "- a\n- b\n", "it must be a list of switches"),
        ("a.ini", "x y\n", "line 1: 'y': write key=value"),
        ("a.ini", 'x notes="y\n', "line 1: No closing quotation"),
    ],
)
def test_what_is_no_inventory_is_reported_where(tmp_path: Path, name: str, text: str, reported: str) -> None:
    (tmp_path / name).write_text(text)
    with pytest.raises(Invalid, match=reported):
        read_inventory(tmp_path / name)


def test_a_profile_says_where_and_options_win(service: Service, tmp_path: Path) -> None:
    file = tmp_path / "kiteroll" / "config.toml"
    file.parent.mkdir()
    file.write_text(
        f'format = "json"\n[profile.demo]\nurl = "{service.url}"\ntoken_file = "{service.data}/token"\n'
        '[profile.away]\nurl = "http://127.0.0.1:9"\n'
    )
    alone = {"XDG_CONFIG_HOME": str(tmp_path), "KITEROLL_URL": "", "KITEROLL_DATA": ""}
    found = kiteroll("switch", "list", "--profile", "demo", service=service, **alone)
    assert found.returncode == 0 and len(json.loads(found.stdout)) >= 12, found.stderr
    table = kiteroll("switch", "list", "--format", "table", service=service, **alone, KITEROLL_PROFILE="demo")
    assert table.returncode == 0 and "quay-1" in table.stdout.splitlines()[-1] + table.stdout
    away = kiteroll("switch", "list", "--profile", "away", service=service, **alone)
    assert away.returncode != 0 and "Traceback" not in away.stderr
    wrong = kiteroll("switch", "list", "--profile", "deno", service=service, **alone)
    assert wrong.returncode == Exit.USAGE and "did you mean demo?" in wrong.stderr


def test_a_profile_with_a_secret_is_for_its_owner_alone(tmp_path: Path) -> None:
    file = tmp_path / "kiteroll" / "config.toml"
    file.parent.mkdir()
    reported = {"XDG_CONFIG_HOME": str(tmp_path)}
    file.write_text('token = "krt_x"\n')
    file.chmod(0o644)
    with pytest.raises(ConfigError, match="chmod 600"):
        load_profile(None, reported)
    file.chmod(0o600)
    assert load_profile(None, reported).token == "krt_x"
    for text, wrong in (
        ("url = 7", "url must be text"),
        ("tokn = 'x'", "did you mean token"),
        ("=", "not TOML"),
    ):
        file.write_text(text)
        with pytest.raises(ConfigError, match=wrong):
            load_profile(None, reported)


def test_a_long_list_of_labels_is_set_in_parts_once_all_of_it_is_right(
    service: Service, tmp_path: Path
) -> None:
    file = tmp_path / "labels.csv"
    rows = [f"02:1a:ee:78:{one >> 8:02x}:{one & 255:02x},Crate {one}" for one in range(1_001)]
    file.write_text("\n".join(["mac,label", *rows, "02:1a:ee:79:00:00," + 300 * "x"]))
    wrong = kiteroll("label", "import", str(file), service=service)
    assert wrong.returncode == Exit.USAGE and "line 1003: label" in wrong.stderr
    assert "Crate" not in kiteroll("label", "list", service=service).stdout
    file.write_text("\n".join(["mac,label", *rows]))
    done = kiteroll("label", "import", str(file), "--format", "csv", service=service)
    assert done.returncode == 0 and len(done.stdout.splitlines()) == 1 + len(rows)
    assert kiteroll("label", "list", service=service).stdout.count("Crate") == len(rows)
    with Client(service.url, service.token) as client:
        client.send(change_labels(LabelChanges(labels=dict.fromkeys(row.split(",")[0] for row in rows))))


def test_labels_come_before_their_address_and_links_lead_to_devices(service: Service, somebody: str) -> None:
    new = "02:1a:ee:77:00:01"
    assert kiteroll("label", "set", new, "--label", "Spare crane", service=service).returncode == 0
    assert new in kiteroll("find", "spare crane", service=service).stdout
    assert new in kiteroll("label", "list", "--never-seen", service=service).stdout
    assert kiteroll("label", "remove", new, service=service).returncode == 0
    wrong = kiteroll("device-link", "set", "x", "javascript://{address}", service=service)
    assert wrong.returncode == Exit.USAGE and "it must begin with one of" in wrong.stderr
    assert kiteroll("device-link", "set", "shell", "ssh://{address}", service=service).returncode == 0
    opened = kiteroll("switch", "open", "quay-1", "shell", service=service)
    assert opened.stdout.startswith("ssh://127.")
    page = ("page", "https://{ip}/?mac={mac}", "--of", "endpoint")
    assert kiteroll("device-link", "set", *page, service=service).returncode == 0
    assert f"mac={somebody}" in kiteroll("endpoint", "open", somebody, service=service).stdout
    for name in ("shell", "page"):
        assert kiteroll("device-link", "remove", name, service=service).returncode == 0


def test_queries_are_kept_and_shared(service: Service) -> None:
    saved = kiteroll("query", "save", "lamps at quay 1", "/?q=lamp", "--shared", service=service)
    assert saved.returncode == 0 and f"{service.url}/?q=lamp" in saved.stderr
    assert kiteroll("query", "save", " lamps at quay 1", "/?q=x", service=service).returncode == Exit.REFUSED
    away = kiteroll("query", "save", "evil", "//elsewhere.example/", service=service)
    assert away.returncode == Exit.USAGE and "a path of the console" in away.stderr
    assert f"{service.url}/?q=lamp" in kiteroll("query", "list", service=service).stdout
    assert kiteroll("query", "remove", "lamps at quay 1", service=service).returncode == 0


def test_endpoints_are_narrowed_down(service: Service) -> None:
    here = kiteroll(
        "endpoint", "all", "--switch", "quay-1", "--life", "present", "--format", "json", service=service
    )
    rows = json.loads(here.stdout)
    assert rows and {row["home"]["switch"] for row in rows} == {"quay-1"}
    wrong = kiteroll("endpoint", "all", "--switch", "quay-l", service=service)
    assert wrong.returncode == Exit.NOTHING and "did you mean" in wrong.stderr
    late = kiteroll("endpoint", "all", "--first-seen", "now", service=service)
    assert late.returncode == Exit.NOTHING and "no endpoint is like that" in late.stderr


def test_output_that_cannot_be_written_is_reported_and_no_traceback(service: Service) -> None:
    reported = {**os.environ, "KITEROLL_URL": service.url, "KITEROLL_DATA": str(service.data)}
    command = [sys.executable, "-m", "kiteroll.cli", "switch", "list", "--format"]
    for form in ("table", "json", "csv"):
        with Path("/dev/full").open("wb") as full:
            ran = subprocess.run(
                [*command, form], stdout=full, stderr=subprocess.PIPE, text=True, timeout=60, env=reported
            )
        assert ran.returncode == Exit.FAULT
        assert ran.stderr == "kiteroll: the output cannot be written: No space left on device\n"
    piped = subprocess.run(
        f"{sys.executable} -m kiteroll.cli changes --format csv | head -1",
        shell=True,
        capture_output=True,
        text=True,
        timeout=60,
        env=reported,
    )
    assert piped.stdout.startswith("id,at,kind,") and piped.stderr == ""


def test_a_terminal_that_lacks_letters_ends_no_command(service: Service) -> None:
    odd = "02:1a:ee:77:00:03"
    assert kiteroll("label", "set", odd, "--label", "Fährlampe → Kai", service=service).returncode == 0
    for form in ("table", "json", "csv"):
        shown = kiteroll("label", "list", "--format", form, service=service, PYTHONIOENCODING="ascii")
        assert shown.returncode == 0 and "F\\xe4hrlampe \\u2192 Kai" in shown.stdout, shown.stderr
    assert kiteroll("label", "remove", odd, service=service).returncode == 0


def test_a_round_names_the_switches_that_were_not_tried(service: Service, lab: Lab) -> None:
    with service.client() as kite:
        kite.send(add_switch(lab.new_switch("quay-2", enabled=False).model_copy(update={"name": "laid-up"})))
        ran = kiteroll("switch", "read", "--site", "Nowhere", "quay-1", service=service)
        assert ran.returncode == Exit.USAGE and "--group NAME, --site NAME or --all" in ran.stderr
        ran = kiteroll("round", "begin", "quay-1", "laid-up", service=service)
        kite.send(remove_switch("laid-up"))
    assert ran.returncode == Exit.PARTIAL
    assert "not tried: laid-up (`kiteroll switch read laid-up` says why)" in ran.stderr
