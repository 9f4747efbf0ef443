"""A site that collectors read: real message engines and processes, a line that is cut, and kills."""

import asyncio
import signal
import socket
import ssl
from base64 import b64encode
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta

import nats
import pytest

from kiteroll.bus import names
from kiteroll.bus.messages import Sent, encode, read_of
from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.main import main
from kiteroll.client import (
    add_switch,
    collected_sites,
    remove_switch,
    switch,
)
from kiteroll.collect.poller import PollResult
from kiteroll.core.errors import DeviceSilent
from tests.support.cluster import COLLECTOR, NatsServer
from tests.support.collected_site import NAMES, OTHER, SITE, CollectedSite
from tests.support.harness import Lab, read_again, wait_until


@pytest.fixture(scope="module")
def cluster(tmp_path_factory: pytest.TempPathFactory, lab: Lab) -> Iterator[CollectedSite]:
    made = CollectedSite(tmp_path_factory.mktemp("cluster"))
    made.set_up(lab)
    with made.service.client() as client:
        client.send(add_switch(lab.new_switch("core-1", site="Harbour")))
    made.collectors[0].start()
    yield made
    made.end()


def test_a_site_is_read_there_and_reported_here(cluster: CollectedSite) -> None:
    with cluster.service.client() as client:
        wait_until(
            lambda: all(client.send(switch(name)).health == "read" for name in NAMES), "the site to be read"
        )
        wait_until(lambda: cluster.state("quays-1") == "reading", "it to say that it reads")
        assert cluster.state("quays-2") == "never heard"
        assert read_again(client, "quay-1").outcome == "complete", "asked for, and read at the site"
        site = client.all(collected_sites())[0]
        assert (site.site, site.silent_since, site.dropped, site.refused) == (SITE, None, 0, 0)
        wait_until(lambda: client.all(collected_sites())[0].up_to_date, "the site to be up to date")
    assert '"switch": "quay-1"' in cluster.service.log
    assert "core-1" not in {one.name for one in cluster.at_site()}, "other sites are read from the centre"


def test_a_collector_of_a_site_without_switches_is_added_and_that_is_said(
    cluster: CollectedSite, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setenv("KITEROLL_URL", cluster.service.url)
    monkeypatch.setenv("KITEROLL_DATA", str(cluster.service.data))
    key = b64encode(bytes(range(1, 33))).decode()
    assert main(["collector", "add", "pier-1", "--site", "Harbor", "--key", key]) == Exit.OK
    assert "no switch is at Harbor; did you mean Harbour?" in capsys.readouterr().err
    assert main(["collector", "remove", "pier-1"]) == Exit.OK


def test_what_is_read_while_the_line_is_cut_comes_later_once_each(cluster: CollectedSite) -> None:
    cluster.line.cut()
    before = len(cluster.at_site())
    cluster.centre.kill()
    cluster.service.end(signal.SIGKILL)
    wait_until(lambda: len(cluster.at_site()) >= before + 4, "readings to be kept at the site")
    cluster.centre.start()
    cluster.service.start()
    cluster.line.mend()
    taken = {(one.name, one.started_at) for one in cluster.at_site()}
    wait_until(lambda: taken <= set(cluster.in_records()), "every reading of the site to be recorded")
    recorded = cluster.in_records()
    assert len(recorded) == len(set(recorded)), "once each"
    with cluster.service.client() as client:
        assert client.all(collected_sites())[0].dropped == 0
    assert "switch-not-read" not in cluster.finding_kinds(), "the site was not heard, not its switches"


def test_the_standby_takes_over(cluster: CollectedSite) -> None:
    second = cluster.collectors[1]
    second.start()
    wait_until(lambda: cluster.state("quays-2") == "standby", "the second one to stand by")
    cluster.collectors[0].end(signal.SIGKILL)
    with cluster.service.client() as client:
        assert read_again(client, "quay-2").outcome == "complete", "asked for before it took over"
    wait_until(lambda: cluster.state("quays-2") == "reading", "the standby to say that it reads")


def test_a_silent_switch_keeps_no_other_from_being_read(cluster: CollectedSite, lab: Lab) -> None:
    silent = lab.new_switch("quay-3", site=SITE).model_copy(
        update={"name": "pier-9", "host": "127.77.9.9", "interval_s": 3600, "timeout_s": 5.0, "tries": 2}
    )
    with cluster.service.client() as client, ThreadPoolExecutor(1) as aside:
        client.send(add_switch(silent))
        wait_until(lambda: client.send(switch("pier-9")).error, "it to be found silent", seconds=90)
        asked = aside.submit(read_again, client, "pier-9")
        wait_until(lambda: read_again(client, "quay-2").outcome == "complete", "another to be read")
        assert not asked.done(), "the silent one is waited for still"
        client.send(remove_switch("pier-9"))


def test_a_site_says_nothing_for_others(cluster: CollectedSite) -> None:
    now = datetime.now(UTC)
    silent = DeviceSilent("127.0.0.1:161", "made up")

    def about(name: str, number: int, at: datetime) -> bytes:
        result = PollResult(
            switch=number, name=name, started_at=at, duration=timedelta(seconds=1), outcome=silent
        )
        return encode(Sent(read=read_of(result)))

    with cluster.service.client() as client:
        asyncio.run(
            _publish(
                cluster.site.url,
                about("core-1", 4, now),
                about("quay-1", 1, now + timedelta(days=1)),
                b"no message at all",
            )
        )
        wait_until(lambda: client.all(collected_sites())[0].refused == 3, "them to be refused")
        wait_until(lambda: "readings-refused" in cluster.finding_kinds(), "that to be reported")
        assert client.send(switch("core-1")).error in (None, "")
        asyncio.run(_speak_as(cluster.site.url, OTHER))
        assert "unknown collector" not in cluster.service.log, (
            "a site is not heard on the subjects of another"
        )
    assert b"Authorization Violation" in _signing_in(cluster.centre, b"centre", b"guessed")


async def _publish(url: str, *messages: bytes) -> None:
    client = await nats.connect(url, user="collector", password=COLLECTOR)
    for one in messages:
        await client.jetstream().publish(names.readings(names.site_token(SITE)), one)
    await client.close()


async def _speak_as(url: str, site: str) -> None:
    client = await nats.connect(url, user="collector", password=COLLECTOR)
    await client.publish(names.status(names.site_token(site)), b"{}")
    await client.flush()
    await client.close()


def _signing_in(engine: NatsServer, user: bytes, password: bytes) -> bytes:
    """What a NATS server answers."""
    context = ssl.create_default_context(cafile=engine.directory / "tls" / "ca.pem")
    with socket.create_connection(("127.0.0.1", engine.port), 5) as plain:
        plain.recv(4096)
        with context.wrap_socket(plain, server_hostname="127.0.0.1") as wire:
            wire.sendall(b'CONNECT {"verbose":true,"user":"%s","pass":"%s"}\r\n' % (user, password))
            return wire.recv(4096)
