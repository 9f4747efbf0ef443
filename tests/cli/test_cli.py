"""The command line, run as its users run it."""

import argparse
import csv
import io
import json
import re
import subprocess
import sys
from pathlib import Path

import pytest
from jsonschema import Draft202012Validator

from kiteroll.cli.context import parse_instant
from kiteroll.cli.main import build_parser
from kiteroll.client import switches
from kiteroll.core.errors import Invalid
from tests.support.factories import NOON, at
from tests.support.harness import Lab, Service
from tests.support.ports import free_tcp_port

DOCS = Path(__file__).parents[2] / "docs"


def kiteroll(
    *words: str, service: Service | None = None, data: str = "/nonexistent"
) -> "subprocess.CompletedProcess[str]":
    environment = {"PATH": "/usr/bin:/bin", "HOME": "/nonexistent", "KITEROLL_DATA": data}
    if service is not None:
        environment |= {"KITEROLL_URL": service.url, "KITEROLL_DATA": str(service.data)}
    return subprocess.run(
        [sys.executable, "-m", "kiteroll.cli", *words],
        capture_output=True,
        text=True,
        timeout=60,
        env=environment,
        check=False,
    )


def test_find_by_last_digits_shows_switch_port_and_vlan(service: Service) -> None:
    done = kiteroll("find", "9e:4a", service=service)
    assert done.returncode == 0
    (row,) = done.stdout.splitlines()[1:]
    assert re.match(r"02:1a:09:01:9e:4a  10\.10\.0\.\d+  ticket-hall  p16   10 office  present", row)
    assert "\x1b[" not in done.stdout, "no colour where no terminal is"


def test_the_same_answer_for_programs(service: Service) -> None:
    (found,) = json.loads(kiteroll("find", "9e4a", "--format", "json", service=service).stdout)
    assert found["endpoints"][0]["home"]["port"] == "p16"
    (row,) = csv.DictReader(io.StringIO(kiteroll("find", "9e4a", "--format", "csv", service=service).stdout))
    assert (row["switch"], row["port"], row["vlan"], row["life"]) == ("ticket-hall", "p16", "10", "present")


@pytest.mark.parametrize(
    ("words", "code", "said"),
    [
        (("find", "ffffffff"), 1, "ffffffff"),
        (("find", "02:1a:zz"), 2, "'z' is not a hexadecimal digit"),
        (("port", "list", "no-such"), 1, "no switch 'no-such'"),
        (("endpoint", "list", "--switch", "quay-1", "--port", "p99"), 1, "no port 'p99'"),
        (("endpoint", "list", "--vlan", "4000"), 1, "4000"),
        (("changes", "--since", "lately"), 2, "'lately' is not a valid time"),
        (("switch", "add", "x", "10.0.0.256", "--community", "c"), 2, "not an IPv4 address"),
        (("switch", "add", "x", "10.0.0.1:99999", "--community", "c"), 2, "is no port"),
        (("switch", "add", "bad name", "10.0.0.1", "--community", "c"), 2, "not a switch name"),
        (("switch", "add", "quay-1", "10.0.0.1", "--community", "c"), 5, "already"),
        (("switch", "add", "x", "10.0.0.1"), 2, "--credential NAME, --community NAME or --user NAME"),
        (("findng", "list"), 2, "no command 'findng'; did you mean finding or find?"),
        (("finding", "lst"), 2, "no command 'lst'; did you mean list?"),
        (("finding", "list", "--sevrity", "note"), 2, "did you mean --severity?"),
        (("finding", "list", "--switch", "quy-1"), 1, "no switch 'quy-1'; did you mean quay-1"),
        (("round", "begin", "--group", "acess"), 1, "no group 'acess'"),
        (("rule", "set", "--switch", "quy-1", "--seats", "2"), 1, "did you mean quay-1"),
        (("rehearse", "--of-site", "Quay"), 1, "no site 'Quay'"),
        (("enrolment", "open", "--switch", "quy-1", "--for", "9m"), 1, "did you mean quay-1"),
        (("planned-work", "add", "x", "--site", "Quay", "--for", "9m"), 2, "no site 'Quay'"),
        (("alert-route", "set", "x", "--target", "y", "--site", "Quay"), 2, "no site 'Quay'"),
        (("user", "add", "bob", "--role", "operator", "--site", "Quay"), 2, "no site 'Quay'"),
        (("switch", "list", "--site", "Quay"), 1, "no site 'Quay'"),
        (("alert", "list", "--target", "desk"), 1, "no alert target 'desk'"),
        (("alert", "list", "--finding", "99999"), 1, "no finding '99999'"),
        (("action", "list", "--switch", "quy-1"), 1, "did you mean quay-1"),
        (("finding", "list", "--sev", "note"), 2, "it does not know --sev note"),
        (("switch", "change", "quay-1", "--site", "Quays\x1b[2J"), 2, "site: control characters"),
        (("credential", "test", "10.0.0.1"), 2, "--credential NAME, --community NAME or --user NAME"),
        (("switch", "change", "quay-1"), 2, "nothing to change"),
        (("probe", "not a host"), 2, "neither an IP address nor a host name"),
    ],
)
def test_what_cannot_be_done_is_said_on_stderr_with_its_exit_code(
    service: Service, words: tuple[str, ...], code: int, said: str
) -> None:
    done = kiteroll(*words, service=service)
    assert (done.returncode, done.stdout) == (code, "")
    assert said in done.stderr and "Traceback" not in done.stderr


def test_who_is_on_a_switch_a_port_and_a_vlan(service: Service) -> None:
    ports = kiteroll("port", "list", "ticket-hall", service=service).stdout.splitlines()
    assert len(ports) == 25 and "Ticket kiosk 1" in ports[1]
    port = kiteroll(
        "endpoint", "list", "--switch", "ticket-hall", "--port", "p16", "--format", "json", service=service
    )
    assert {stay["vlan"] for stay in json.loads(port.stdout)} == {10, 40}
    vlan = json.loads(
        kiteroll("endpoint", "list", "--vlan", "30", "--format", "json", service=service).stdout
    )
    assert len(vlan) > 30 and {stay["vlan"] for stay in vlan} == {30}


def test_what_changed_leaves_ports_between_switches_out_unless_asked(service: Service, lab: Lab) -> None:
    plain = json.loads(kiteroll("changes", "--format", "json", service=service).stdout)
    whole = json.loads(
        kiteroll("changes", "--uplinks", "--limit", "5000", "--format", "json", service=service).stdout
    )
    assert 150 <= len(plain) < len(whole)
    assert {change["kind"] for change in plain if change["switch"] in lab.switches} == {"appeared"}


def test_read_list_and_show_a_switch(service: Service) -> None:
    (read,) = json.loads(kiteroll("switch", "read", "quay-3", "--format", "json", service=service).stdout)
    assert read["outcome"] == "complete" and read["rows"] > 50
    rows = kiteroll("switch", "list", service=service).stdout.splitlines()
    assert len(rows) >= 13 and any(row.startswith("quay-3") and " read " in row for row in rows)
    shown = kiteroll("switch", "show", "quay-3", service=service).stdout
    assert "Quay cabin 3" in shown and "30 quay" in shown
    assert "up" in kiteroll("health", service=service).stdout
    assert "complete" in kiteroll("readings", "--switch", "quay-3", service=service).stdout
    hours = json.loads(kiteroll("hours", "--last", "2", "--format", "json", service=service).stdout)
    assert [set(one) >= {"began_at", "changes", "findings"} for one in hours] == [True, True]
    assert sum(one["readings"] for one in hours) >= 12
    reported = kiteroll("endpoint", "all", "--switch", "quay-*", "--format", "json", service=service).stdout
    assert {one["home"]["switch"] for one in json.loads(reported)} == {"quay-1", "quay-2", "quay-3"}


def test_a_switch_that_is_asked_already_is_warned_of_when_it_is_added(service: Service) -> None:
    known = json.loads(kiteroll("switch", "list", "--format", "json", service=service).stdout)[0]
    where = f"{known['host']}:{known['port']}"
    added = kiteroll("switch", "add", "again", where, "--community", "c", service=service)
    assert added.returncode == 0 and f"asked at the same address as {known['name']}" in added.stderr
    assert kiteroll("switch", "remove", "again", service=service).returncode == 0


def test_a_service_that_is_not_there_and_a_missing_token_are_told_apart(
    service: Service, tmp_path: Path
) -> None:
    away = kiteroll("switch", "list", "--url", f"http://127.0.0.1:{free_tcp_port()}", service=service)
    assert away.returncode == 3 and "no Kite Roll service answers" in away.stderr
    missing = kiteroll("switch", "list", data=str(tmp_path))
    assert missing.returncode == 2 and str(tmp_path / "token") in missing.stderr


def test_probe_needs_no_service_and_its_json_is_the_reading_document(lab: Lab) -> None:
    address = f"{lab.switches['checkin-east']}:{lab.port}"
    done = kiteroll("probe", address, "--community", "tarn-read", "--format", "json")
    assert done.returncode == 0
    document = json.loads(done.stdout)
    schema = json.loads((DOCS / "reading-document.schema.json").read_text())
    Draft202012Validator(schema).validate(document)
    assert (document["format"], document["version"], document["complete"]) == ("kiteroll-reading", 1, True)
    assert document["taken_at"].endswith("Z")
    entry = document["entries"][0]
    assert re.fullmatch(r"([0-9a-f]{2}:){5}[0-9a-f]{2}", entry["mac"]) and entry["status"] == "learned"
    table = kiteroll("probe", address, "--community", "tarn-read")
    assert "checkin-east" in table.stdout and "complete" in table.stdout


def test_probe_says_what_it_tried_when_a_switch_is_silent(lab: Lab) -> None:
    address = f"{lab.switches['checkin-east']}:{lab.port}"
    done = kiteroll("probe", address, "--community", "wrong", "--timeout", "100ms", "--tries", "2")
    assert (done.returncode, done.stdout) == (3, "")
    assert address in done.stderr and "2 tries" in done.stderr and "community is wrong" in done.stderr
    assert "'wrong'" not in done.stderr


def test_every_command_has_help_and_is_in_the_documentation(capsys: pytest.CaptureFixture[str]) -> None:
    documented = (DOCS / "cli.md").read_text()
    commands = build_parser()._subparsers._group_actions[0].choices  # type: ignore[union-attr]
    for name, parser in commands.items():  # type: ignore[union-attr]
        assert parser.description and f"kiteroll {name}" in documented, name


@pytest.mark.parametrize(
    ("text", "instant"),
    [
        ("90s", at(-1.5)),
        ("2h", at(-120)),
        ("now", at(0)),
        ("1h30m", at(-90)),
        ("11:30", at(-30)),
        ("13:00", at(-23 * 60)),
        ("2026-05-04T11:00:00Z", at(-60)),
        ("2026-05-04", at(-720)),
    ],
)
def test_instants_are_read_as_people_write_them(text: str, instant: object) -> None:
    assert parse_instant(text, NOON) == instant


def test_an_instant_that_is_none_is_refused() -> None:
    with pytest.raises(Invalid):
        parse_instant("25:00", NOON)


def test_many_switches_are_read_at_once(service: Service) -> None:
    done = kiteroll("switch", "read", "--all", "--format", "json", service=service)
    (reported,) = json.loads(done.stdout)
    assert (
        done.returncode == 0
        and reported["state"] == "done"
        and reported["complete"] == reported["total"] >= 12
    )
    assert kiteroll("switch", "read", "--group", "nobody", service=service).returncode == 1
    assert "say which switches to read" in kiteroll("switch", "read", service=service).stderr


def test_an_import_shows_what_it_would_do_and_does_it_whole_or_not_at_all(
    service: Service, tmp_path: Path
) -> None:
    assert kiteroll("credential", "add", "yard", "--community", "yard-read", service=service).returncode == 0
    file = tmp_path / "yard.csv"
    file.write_text(
        "name,address,credential,site,enabled\nyard-1,127.0.0.1:9,yard,Yard,false\nyard-2,127.0.0.256,yard,,\n"
    )
    wrong = kiteroll("switch", "import", str(file), service=service)
    assert wrong.returncode == 2 and f"{file}, line 3: '127.0.0.256' is not an IPv4" in wrong.stderr
    file.write_text("name,address\n" + "".join(f"yard-{one},127.0.0.1:{one}\n" for one in range(1, 5002)))
    without = kiteroll("switch", "import", str(file), service=service).stderr
    assert f"{file}, line 2, line 3, line 4 and 4998 more: credential: it names none" in without
    too_many = kiteroll("switch", "import", str(file), "--credential", "yard", service=service)
    assert too_many.returncode == 2 and "adds or changes 5001 switches" in too_many.stderr
    file.write_text("name,address,site,enabled\nyard-1,127.0.0.1:9,Yard,false\n")
    added = kiteroll("switch", "import", str(file), "--credential", "yard", "--dry-run", service=service)
    assert added.returncode == 0 and "yard" in added.stdout
    file.write_text("name,address,credential,site,enabled\nyard-1,127.0.0.1:9,yard,Yard,false\n")
    dry = kiteroll("switch", "import", str(file), "--dry-run", service=service)
    assert dry.returncode == 0 and "add" in dry.stdout and "dry run" in dry.stderr
    assert kiteroll("switch", "show", "yard-1", service=service).returncode == 1
    assert kiteroll("switch", "import", str(file), service=service).returncode == 0
    file.write_text("name,address,credential,site\nyard-1,127.0.0.1:9,yard,Lower yard\n")
    again = kiteroll("switch", "import", str(file), service=service)
    assert "change" in again.stdout and "site = Lower yard" in again.stdout
    shown = kiteroll("switch", "show", "yard-1", service=service).stdout
    assert "Lower yard" in shown and "yard-read" not in shown
    assert kiteroll("switch", "remove", "yard-1", service=service).returncode == 0
    assert kiteroll("credential", "remove", "yard", service=service).returncode == 0
    assert "no named credentials" in kiteroll("credential", "list", service=service).stderr


def test_the_shell_completes_commands_and_names_of_switches(service: Service) -> None:
    script = """
        eval "$(kiteroll completion bash)"
        COMP_LINE="$1"; read -ra COMP_WORDS <<< "$COMP_LINE"; COMP_CWORD=$((${#COMP_WORDS[@]} - 1))
        COMP_POINT=${#COMP_LINE}; COMP_TYPE=9
        _python_argcomplete kiteroll; printf '%s\\n' "${COMPREPLY[@]}"
    """

    def offered(line: str, url: str = service.url) -> set[str]:
        environment = {"PATH": f"{Path(sys.executable).parent}:/usr/bin:/bin", "HOME": "/nonexistent"}
        environment |= {"KITEROLL_URL": url, "KITEROLL_DATA": str(service.data)}
        words = ["bash", "-c", script, "bash", line]
        done = subprocess.run(words, capture_output=True, text=True, timeout=60, env=environment, check=True)
        assert done.stderr == ""
        return {word.strip() for word in done.stdout.splitlines()} - {""}

    assert offered("kiteroll fi") == {"find", "finding"}
    assert "--ended" in offered("kiteroll endpoint list --e")
    assert offered("kiteroll port list qua") == {"quay-1", "quay-2", "quay-3"} & _names(service)
    assert offered("kiteroll switch show quay-1") == {"quay-1"}
    assert offered("kiteroll port list qua", url="http://127.0.0.1:9") == set(), (
        "no service answers, nothing is offered"
    )


def _names(service: Service) -> set[str]:
    with service.client() as client:
        return {one.name for one in client.each(switches())}


def test_every_command_that_messages_and_documents_name_is_there() -> None:
    root = Path(__file__).parents[2]
    texts = [*(root / "src").rglob("*.py"), *(root / "docs").glob("*.md"), root / "README.md"]
    named = {
        (path.name, words)
        for path in texts
        for words in re.findall(r"(?:`| {4})kiteroll ((?:[a-z-]+ ?)+)", path.read_text())
    }
    assert len(named) > 60
    parser = build_parser()
    missing = {(file, words) for file, words in named if not _leads_to_a_command(parser, words.split())}
    assert missing == set()


def _leads_to_a_command(parser: argparse.ArgumentParser, words: list[str]) -> bool:
    """Whether the first words are a command, or a group of them; arguments may follow a command."""
    for word in words:
        below = next((one.choices for one in parser._actions if one.choices and one.nargs == "A..."), None)
        if not isinstance(below, dict):
            return True
        if word not in below:
            return False
        parser = below[word]
    return True
