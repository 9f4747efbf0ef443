"""From a reading to its finding, and from there to what arrives: webhook, mail and syslog, over TLS."""

import statistics
import tempfile
import time
from datetime import UTC, datetime
from pathlib import Path

from tests.support.factories import mac, reading
from tests.support.harness import Service
from tests.support.ports import free_tcp_port
from tests.support.receivers import (
    MailReceiver,
    SyslogReceiver,
    WebhookReceiver,
    certificate,
    closing_all,
    server_context,
)

from bench.measure import row
from kiteroll.client import (
    Client,
    add_switch,
    bar,
    findings,
    import_readings,
    set_alert_route,
    set_alert_target,
)
from kiteroll.schemas.api import (
    AlertRouteSettings,
    AlertTargetSettings,
    MailSettings,
    NewBarred,
    NewSwitch,
    SyslogSettings,
    WebhookSettings,
)
from kiteroll.schemas.reading_convert import to_document
from kiteroll.schemas.reading_document import ReadingDocument

TIMES = 12
_FIRST = 0x700


def main() -> None:
    with tempfile.TemporaryDirectory() as directory:
        files = certificate(Path(directory))
        context = server_context(files)
        hook, mail, log = WebhookReceiver(context), MailReceiver(context), SyslogReceiver(context)
        service = Service(Path(directory) / "data", free_tcp_port(), anew=True)
        service.start()
        try:
            with closing_all(hook, mail, log), service.client() as kite:
                _set_up(kite, str(files[0]), hook.port, mail.port, log.port)
                _measure(kite, hook, mail, log)
        finally:
            service.end()


def _set_up(kite: Client, ca_file: str, hook: int, mail: int, log: int) -> None:
    kite.send(add_switch(NewSwitch(name="quay-1", source="files")))
    kite.send(bar(NewBarred(prefix=str(mac(_FIRST))[:-1])))
    to = ["noc@tarn.example"]
    by = MailSettings(
        kind="mail", host="localhost", port=mail, sender="kite@tarn.example", recipients=to, ca_file=ca_file
    )
    for name, settings in (
        ("hook", WebhookSettings(kind="webhook", url=f"https://localhost:{hook}/", ca_file=ca_file)),
        ("mail", by),
        ("log", SyslogSettings(kind="syslog", host="localhost", port=log, ca_file=ca_file)),
    ):
        kite.send(set_alert_target(name, AlertTargetSettings(settings=settings)))
        kite.send(set_alert_route(name, AlertRouteSettings(target=name)))


def _measure(kite: Client, hook: WebhookReceiver, mail: MailReceiver, log: SyslogReceiver) -> None:
    names = ("webhook", "mail", "syslog")
    reported: dict[str, list[float]] = {"finding": [], **{name: [] for name in names}}
    for number in range(TIMES):
        address = str(mac(_FIRST + number))
        document = to_document(reading(0, {(_FIRST + number, 10): "p1"})).model_dump()
        document |= {"taken_at": datetime.now(UTC)}
        document["device"] |= {"uptime_s": None}
        began = time.monotonic()
        kite.send(import_readings([ReadingDocument.model_validate(document)]))
        while not list(kite.each(findings(mac=address))):
            time.sleep(0.1)
        reported["finding"].append(time.monotonic() - began)
        for name, queue, text_of in (
            ("webhook", hook.got, lambda got: got[1].decode()),
            ("mail", mail.got, lambda got: got.as_string()),
            ("syslog", log.got, str),
        ):
            while address not in text_of(queue.get(timeout=60)):
                pass  # of one before, which is over
            reported[name].append(time.monotonic() - began)
    row("from the reading to the finding", *_said(reported["finding"]))
    for name in names:
        later = [at - opened for at, opened in zip(reported[name], reported["finding"], strict=True)]
        row(f"from the finding to {name}", *_said(later))


def _said(seconds: list[float]) -> tuple[str, str]:
    return f"worst {max(seconds):.1f} s", f"median {statistics.median(seconds):.1f} s"


if __name__ == "__main__":
    main()
