"""Each way to deliver, to a real counterpart."""

import hashlib
import hmac
import json
from collections.abc import Iterator
from datetime import UTC, datetime
from email.header import decode_header, make_header
from pathlib import Path
from typing import Any

import pytest

from kiteroll.deliver.delivery import Delivery, Message, NotDelivered
from kiteroll.deliver.sender import make_sender
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

AT = datetime(2026, 5, 4, 12, 0, tzinfo=UTC)
CONTENT = {
    "reason": "opened",
    "kind": "loop",
    "severity": "serious",
    "title": 'A "loop"]\nat Øst',
    "switch": "quay-1",
    "port": 'p"1]',
}


def message(number: int = 7, **changes: Any) -> Message:
    given: dict[str, Any] = {
        "number": number,
        "at": AT,
        "severity": "serious",
        "line": str(CONTENT["title"]),
        "text": "A loop at Øst\n\nSwitch: quay-1",
        "content": CONTENT,
    }
    return Message(**given | changes)


def delivery(*messages: Message, repeated: bool = False) -> Delivery:
    return Delivery(
        id="d1", service="kite", at=AT, messages=messages or (message(),), possibly_repeated=repeated
    )


@pytest.fixture(scope="module")
def files(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Path]:
    return certificate(tmp_path_factory.mktemp("certificate"))


@pytest.fixture
def webhook(files: tuple[Path, Path]) -> Iterator[WebhookReceiver]:
    receiver = WebhookReceiver(server_context(files))
    with closing_all(receiver):
        yield receiver


def test_the_subject_counts_what_is_only_counted_too() -> None:
    crowd = message(0, severity="note", stands_for=21_344)
    assert delivery(message(), crowd).subject == "21,345 messages, 1 of them serious"


def test_a_webhook_gets_a_signed_document_over_tls(
    webhook: WebhookReceiver, files: tuple[Path, Path]
) -> None:
    settings = {"url": f"https://localhost:{webhook.port}/alerts", "ca_file": str(files[0])}
    make_sender("webhook", settings, "s3cret").send(delivery(repeated=True))
    headers, body = webhook.got.get(timeout=ARRIVES_S)
    signed = hmac.new(b"s3cret", headers["Kiteroll-Timestamp"].encode() + b"." + body, hashlib.sha256)
    assert headers["Kiteroll-Signature"] == f"sha256={signed.hexdigest()}"
    document = json.loads(body)
    assert document["possibly_repeated"] and document["delivery"] == headers["Kiteroll-Delivery"] == "d1"
    assert document["messages"][0]["number"] == 7 and document["messages"][0]["kind"] == "loop"


def test_a_template_stays_json_whatever_is_put_in(webhook: WebhookReceiver, files: tuple[Path, Path]) -> None:
    settings = {
        "url": f"https://localhost:{webhook.port}/",
        "ca_file": str(files[0]),
        "template": '{"text": "$severity: $title at $switch $port ($count)", "more": "$nothing"}',
    }
    make_sender("webhook", settings, "").send(delivery())
    headers, body = webhook.got.get(timeout=ARRIVES_S)
    assert json.loads(body) == {
        "text": 'serious: A "loop"]\nat Øst at quay-1 p"1] (1)',
        "more": "$nothing",
    }
    assert "Kiteroll-Signature" not in headers


def test_a_webhook_that_refuses_or_that_nobody_vouches_for_is_reported(
    webhook: WebhookReceiver, files: tuple[Path, Path]
) -> None:
    url = f"https://localhost:{webhook.port}/"
    webhook.status = 503
    with pytest.raises(NotDelivered, match="answers 503"):
        make_sender("webhook", {"url": url, "ca_file": str(files[0])}, "").send(delivery())
    with pytest.raises(NotDelivered, match="certificate"):
        make_sender("webhook", {"url": url}, "").send(delivery())
    with pytest.raises(NotDelivered, match="ca_file"):
        make_sender("webhook", {"url": url, "ca_file": "/nowhere.pem"}, "").send(delivery())
    with pytest.raises(NotDelivered, match="not understood"):
        make_sender("webhook", {"address": url}, "").send(delivery())


def test_mail_goes_by_starttls_with_a_password(files: tuple[Path, Path]) -> None:
    receiver = MailReceiver(server_context(files), ("kite", "over the tarn"))
    settings = {
        "host": "localhost",
        "port": receiver.port,
        "security": "starttls",
        "sender": "kite@tarn.example",
        "recipients": ["noc@tarn.example", "nobody@tarn.example"],
        "user": "kite",
        "ca_file": str(files[0]),
    }
    with closing_all(receiver):
        make_sender("mail", settings, "over the tarn").send(delivery(message(), message(8)))
        mail = receiver.got.get(timeout=ARRIVES_S)
        assert mail["Subject"] == "[Kite Roll] 2 messages, 2 of them serious"
        assert mail["Message-ID"] == "<d1@kite>" and mail["Auto-Submitted"] == "auto-generated"
        assert "Switch: quay-1" in mail.get_payload(decode=True).decode()  # type: ignore[union-attr]
        make_sender("mail", settings, "over the tarn").send(delivery())
        one = receiver.got.get(timeout=ARRIVES_S)
        assert str(make_header(decode_header(one["Subject"]))) == '[Kite Roll] A "loop"] at Øst'
        with pytest.raises(NotDelivered, match="535"):
            make_sender("mail", settings, "wrong").send(delivery())
        with pytest.raises(NotDelivered, match="nobody@"):
            make_sender("mail", settings | {"recipients": ["nobody@tarn.example"]}, "over the tarn").send(
                delivery()
            )
    with pytest.raises(NotDelivered, match=f"localhost:{receiver.port}"):
        make_sender("mail", settings, "over the tarn").send(delivery())


@pytest.mark.parametrize("transport", ["udp", "tcp", "tls"])
def test_syslog_is_said_as_rfc_5424_has_it(transport: str, files: tuple[Path, Path]) -> None:
    context = server_context(files) if transport == "tls" else None
    receiver = SyslogReceiver(context, udp=transport == "udp")
    settings = {"host": "localhost", "port": receiver.port, "transport": transport}
    if transport == "udp":
        settings["host"] = "127.0.0.1"
    if transport == "tls":
        settings["ca_file"] = str(files[0])
    with closing_all(receiver):
        make_sender("syslog", settings, "").send(delivery(message(), message(8, over=True)))
        lines = [receiver.got.get(timeout=ARRIVES_S) for _ in range(2)]
    assert lines[0].startswith("<131>1 2026-05-04T12:00:00.000Z kite kiteroll ")
    assert '[kiteroll@32473 reason="opened" kind="loop" severity="serious" switch="quay-1"' in lines[0]
    assert r'port="p\"1\]" number="7" delivery="d1"] ' in lines[0]
    assert lines[0].endswith('\ufeffA "loop"] at Øst')
    assert lines[1].startswith("<134>1 "), "what is over is informational"


def test_nobody_listening_is_reported(files: tuple[Path, Path]) -> None:
    settings = {"host": "127.0.0.1", "port": free_tcp_port(), "transport": "tcp"}
    with pytest.raises(NotDelivered, match="refused"):
        make_sender("syslog", settings, "").send(delivery())


def test_a_folder_gets_a_whole_file_and_a_repeat_takes_its_place(tmp_path: Path) -> None:
    sender = make_sender("folder", {"path": str(tmp_path / "alerts")}, "")
    sender.send(delivery())
    sender.send(delivery(repeated=True))
    (file,) = (tmp_path / "alerts").iterdir()
    assert json.loads(file.read_text())["possibly_repeated"] is True
    (tmp_path / "taken").write_text("")
    with pytest.raises(NotDelivered, match="taken"):
        make_sender("folder", {"path": str(tmp_path / "taken")}, "").send(delivery())
