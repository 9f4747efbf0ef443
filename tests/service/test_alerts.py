"""Alerts, from a reading that comes in to what arrives by webhook, mail, syslog and folder."""

import json
import signal
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from io import StringIO
from pathlib import Path
from typing import Any

import pytest

from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.main import main
from kiteroll.client import (
    Client,
    ServiceError,
    add_switch,
    alert_targets,
    alerts,
    audit_log,
    bar,
    import_readings,
    plan_work,
)
from kiteroll.schemas.api import NewBarred, NewPlannedWork, NewSwitch
from kiteroll.schemas.reading_convert import to_document
from kiteroll.schemas.reading_document import ReadingDocument
from tests.support.factories import mac, reading
from tests.support.harness import Service, wait_until
from tests.support.ports import free_tcp_port
from tests.support.receivers import (
    ARRIVES_S,
    MailReceiver,
    SyslogReceiver,
    WebhookReceiver,
    certificate,
    closing_all,
    server_context,
)

Command = Callable[..., tuple[Exit, str]]


@pytest.fixture(scope="module")
def alerting(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Service]:
    """A service with two switches and a barred range of addresses."""
    service = Service(tmp_path_factory.mktemp("reporting") / "data", free_tcp_port())
    service.start()
    with service.client() as kite:
        for name in ("quay-1", "quay-2"):
            kite.send(add_switch(NewSwitch(name=name, source="files", site="Quays")))
        kite.send(bar(NewBarred(prefix=str(mac(0x700))[:-1])))
    yield service
    assert service.end() == 0


@pytest.fixture
def command(
    alerting: Service, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> Command:
    def run(*words: str, stdin: str = "") -> tuple[Exit, str]:
        monkeypatch.setattr("sys.stdin", StringIO(stdin))
        code = main([*words, "--url", alerting.url, "--data", str(alerting.data)])
        said = capsys.readouterr()
        return code, said.out + said.err

    return run


def show(kite: Client, number: int, switch: str = "quay-1") -> None:
    """A barred address appears."""
    document = to_document(reading(0, {(0x700 + number, 10): "p1"}, switch=switch)).model_dump()
    document |= {"taken_at": datetime.now(UTC)}
    document["device"] |= {"uptime_s": None}
    kite.send(import_readings([ReadingDocument.model_validate(document)]))


def test_a_finding_reaches_webhook_mail_syslog_and_folder(
    alerting: Service, command: Command, tmp_path: Path
) -> None:
    files = certificate(tmp_path)
    trusted, context = ("--ca-file", str(files[0])), server_context(files)
    hook, mail, log = WebhookReceiver(context), MailReceiver(context), SyslogReceiver(context)
    with closing_all(hook, mail, log), alerting.client() as kite:
        url, server = f"https://localhost:{hook.port}/", f"localhost:{mail.port}"
        addresses = ("--from", "kite@tarn.example", "--to", "noc@tarn.example")
        for words in (
            ("webhook", "hook", url, "--secret-stdin", *trusted),
            ("mail", "noc", server, *addresses, *trusted),
            ("syslog", "log", f"localhost:{log.port}", "--audit-log", *trusted),
            ("folder", "files", str(tmp_path / "alerts")),
        ):
            assert command("alert-target", *words, stdin="s3cret\n")[0] is Exit.OK
        for name in ("hook", "noc", "log", "files"):
            code, said = command("alert-target", "test", name)
            assert code is Exit.OK, said
            assert command("alert-route", "set", f"to-{name}", "--target", name)[0] is Exit.OK
        assert hook.document()["messages"][0]["reason"] == "test"
        assert "A test" in str(mail.got.get(timeout=ARRIVES_S)["Subject"])
        show(kite, 1)
        document = hook.document()
        (message,) = document["messages"]
        assert (message["kind"], message["switch"], message["port"]) == ("barred-address", "quay-1", "p1")
        assert message["sites"] == ["Quays"] and message["reason"] == "opened"
        subject = str(mail.got.get(timeout=ARRIVES_S)["Subject"])
        assert subject.startswith("[Kite Roll] ") and "barred" in subject
        lines: list[str] = []
        wait_until(lambda: _drained(log, lines) and any('reason="opened"' in one for one in lines), "syslog")
        test = tmp_path / "alerts" / f"alert-{0:010}.json"
        wait_until(lambda: {*test.parent.glob("alert-*.json")} - {test}, "a file")
        wait_until(
            lambda: any('action="alert-route.set"' in one for one in lines + _new(log, lines)), "audit"
        )
        sent = list(kite.each(alerts(finding=message["finding"])))
        wait_until(
            lambda: {one.state for one in kite.each(alerts(finding=message["finding"]))} == {"sent"},
            "all sent",
        )
        assert {one.target for one in sent} <= {"hook", "noc", "log", "files"}
        code, said = command("alert", "list", "--target", "hook")
        assert code is Exit.OK and "opened" in said and "sent" in said
        code, said = command("alert-target", "list", "--format", "json")
        assert "s3cret" not in said and {one["name"] for one in json.loads(said)} >= {"hook", "noc"}
        assert "s3cret" not in str([one.after for one in kite.each(audit_log(action="alert-target"))])
        for name in ("hook", "noc", "log", "files"):
            refused, said = command("alert-target", "remove", name)
            assert refused is not Exit.OK and f"to-{name}" in said
            assert command("alert-route", "remove", f"to-{name}")[0] is Exit.OK
            assert command("alert-target", "remove", name)[0] is Exit.OK


def _drained(log: SyslogReceiver, lines: list[str]) -> bool:
    while not log.got.empty():
        lines.append(log.got.get())
    return True


def _new(log: SyslogReceiver, lines: list[str]) -> list[str]:
    _drained(log, lines)
    return lines


def test_killed_while_it_reports_it_reports_again_and_says_so(alerting: Service, command: Command) -> None:
    hook = WebhookReceiver()
    hook.answers.clear()
    with closing_all(hook), alerting.client() as kite:
        command("alert-target", "webhook", "hook", f"http://127.0.0.1:{hook.port}/")
        command("alert-route", "set", "all", "--target", "hook", "--remind-after", "1h")
        show(kite, 2)
        first = hook.document()
        assert not first["possibly_repeated"]
        alerting.end(signal.SIGKILL)
        hook.answers.set()
        alerting.start()
        again = hook.document()
        assert again["possibly_repeated"]
        assert [one["number"] for one in again["messages"]] == [one["number"] for one in first["messages"]]
        reported = {one["finding"] for one in first["messages"]}
        with alerting.client() as kite:
            wait_until(lambda: _states(kite, reported) == {"sent"}, "it is sent")
        more = {one["finding"] for _, body in hook.got.queue for one in json.loads(body)["messages"]}
        assert not more & reported, "it is not reported a third time"
        command("alert-route", "remove", "all")
        command("alert-target", "remove", "hook")


def _states(kite: Client, reported: set[int]) -> set[str]:
    """Of all alerts of these findings."""
    return {one.state for finding in reported for one in kite.each(alerts(finding=finding))}


def test_planned_work_is_shown_and_restricted_to_sites(alerting: Service, command: Command) -> None:
    code, said = command("planned-work", "add", "a new switch", "--site", "Quays", "--for", "2h")
    assert code is Exit.OK and "planned work" in said
    code, said = command("planned-work", "list")
    assert "running" in said and "Quays" in said and "a new switch" in said
    code, said = command("planned-work", "list", "--format", "json")
    assert command("planned-work", "end", str(json.loads(said)[0]["id"]))[0] is Exit.OK
    assert "no work is planned" in command("planned-work", "list")[1]
    with alerting.client() as kite, pytest.raises(ServiceError, match="later than begins_at"):
        kite.send(plan_work(NewPlannedWork(ends_at=datetime.now(UTC) - timedelta(hours=1), reason="late")))


@pytest.mark.parametrize(
    ("words", "reported"),
    [
        (("alert-target", "webhook", "x", "ftp:nothing"), "url"),
        (("alert-target", "mail", "x", "localhost", "--from", "kite", "--to", "a@b"), "'kite' is not a mail"),
        (("alert-target", "folder", "a b", "/tmp"), "is not a valid name"),
        (("alert-route", "set", "x", "--target", "nowhere"), "no alert target 'nowhere'"),
        (("alert-route", "set", "x", "--target", "t", "--days", "moon"), "'moon' is no day"),
        (("alert-route", "set", "x", "--target", "t", "--hours", "8-17"), "since"),
        (("alert-route", "set", "x", "--target", "t", "--zone", "Tarn/Quay"), "is not a time zone"),
        (("alert-route", "set", "x", "--target", "t", "--kind", "storm"), "--kind:"),
        (("alert-route", "set", "x", "--target", "t", "--escalate-after", "1h"), "--escalate-to:"),
        (("planned-work", "add", "why"), "--for SPAN or --until"),
    ],
)
def test_what_does_not_hold_is_refused_with_words(
    command: Command, words: tuple[str, ...], reported: str
) -> None:
    code, said = command(*words)
    assert code is not Exit.OK and reported in said, said


def test_a_target_that_fails_is_shown_with_why(alerting: Service, command: Command) -> None:
    command("alert-target", "webhook", "hook", "http://127.0.0.1:1/")
    command("alert-route", "set", "all", "--target", "hook")
    code, said = command("alert-target", "test", "hook")
    assert code is Exit.UNREACHABLE and "refused" in said

    def target() -> Any:
        (found,) = kite.all(alert_targets())
        return found

    with alerting.client() as kite:
        show(kite, 4, "quay-2")
        wait_until(lambda: target().failures, "the target to fail")
        assert target().waiting == 1 and "refused" in target().error
    command("alert-route", "remove", "all")
    command("alert-target", "remove", "hook")
