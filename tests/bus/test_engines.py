"""On real message engines: the lease of a site, and three servers at the centre of which one dies."""

import asyncio
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

import pytest

from kiteroll.bus import names
from kiteroll.bus.centre import CentreBus
from kiteroll.bus.connection import answered, connected
from kiteroll.bus.settings import BusSettings
from kiteroll.bus.site import SiteBus
from kiteroll.bus.tracker_reports import ReportBus
from kiteroll.core.errors import BusUnavailable
from tests.support.cluster import CENTRE, COLLECTOR, NatsServer
from tests.support.ports import free_tcp_port


@pytest.fixture
def site(tmp_path: Path) -> Iterator[NatsServer]:
    engine = NatsServer(tmp_path, "nats-centre")
    engine.be_centre([])
    engine.be_site("Island", free_tcp_port())  # a line that leads nowhere
    engine.start()
    yield engine
    engine.kill()


def test_a_lease_is_given_back_by_whoever_has_it_alone(site: NatsServer) -> None:
    settings = BusSettings(url=site.url, user="collector", password=COLLECTOR)

    async def two_collectors() -> None:
        async with connected(settings, "1", "_INBOX") as first, connected(settings, "2", "_INBOX") as second:
            one, two = SiteBus(first, settings, "Island", "one"), SiteBus(second, settings, "Island", "two")
            await one.prepare()
            assert await one.hold_lease() and not await two.hold_lease()
            before = one._revision
            await one.release_lease()
            assert await two.hold_lease()  # at once
            one._revision = before  # what one believes that stood still meanwhile
            await one.release_lease()
            assert await two.hold_lease() and not await one.hold_lease()

    asyncio.run(two_collectors())


def test_a_task_that_is_to_end_ends_though_the_library_swallows_that() -> None:
    async def swallows() -> None:
        with suppress(asyncio.CancelledError):
            await asyncio.sleep(60)

    async def again_and_again() -> None:
        while True:
            await answered(swallows(), "a test")

    async def end() -> None:
        task = asyncio.create_task(again_and_again())
        await asyncio.sleep(0)
        task.cancel()
        done, _ = await asyncio.wait({task}, timeout=10)
        assert done and task.cancelled()

    asyncio.run(end())


def test_the_next_service_hears_trackers_where_the_one_before_was(site: NatsServer) -> None:
    settings = BusSettings(url=site.url, user="collector", password=COLLECTOR)

    async def go_on() -> None:
        async with connected(settings, "1", "_INBOX") as client:
            reported = ReportBus(client, settings)
            await reported.prepare()
            for word in (b"one", b"two", b"three"):
                await reported.publish("afloat", word)
            before = await anext(reported.events(7))
            assert [one.data for one in before] == [b"one", b"two", b"three"]
            await before[1].confirm()  # and the first one with it
            after = reported.events(8)
            assert [one.data for one in await anext(after)] == [b"three"]
            with pytest.raises(BusUnavailable, match="a later service"):
                await anext(reported.events(7))

    asyncio.run(go_on())


@pytest.fixture
def centre(tmp_path: Path) -> Iterator[list[NatsServer]]:
    engines = [NatsServer(tmp_path, f"nats-centre-{number}") for number in (1, 2, 3)]
    for one in engines:
        one.be_centre(["Island"], [other for other in engines if other is not one])
        one.start()
    yield engines
    for one in engines:
        one.kill()


def test_two_of_three_servers_at_the_centre_go_on(centre: list[NatsServer], tmp_path: Path) -> None:
    urls = ",".join(f"tls://127.0.0.1:{one.port}" for one in centre)
    authority = tmp_path / "tls" / "ca.pem"
    settings = BusSettings(url=urls, user="centre", password=CENTRE, ca_file=authority, replicas=3)

    async def outlive_the_leader() -> None:
        async with connected(settings, "centre", "_INBOX") as client:
            stream = client.jetstream(timeout=2)
            await _until_it_works(stream.add_stream, name="READ", subjects=["read"], num_replicas=3)
            await stream.publish("read", b"one")
            cluster = (await stream.stream_info("READ")).cluster
            assert cluster is not None
            next(one for one in centre if cluster.leader == f"kiteroll-{one.name}").kill()
            await _until_it_works(stream.publish, "read", b"two")
            kept = [(await stream.get_msg("READ", number)).data for number in (1, 2)]
            assert kept == [b"one", b"two"]

    asyncio.run(outlive_the_leader())


def test_bounds_that_were_changed_hold_for_the_stream_of_a_site(
    centre: list[NatsServer], tmp_path: Path
) -> None:
    authority = tmp_path / "tls" / "ca.pem"
    url = f"tls://127.0.0.1:{centre[0].port}"

    async def follow(replicas: int, keep: str) -> tuple[object, object]:
        said = {"url": url, "user": "centre", "password": CENTRE, "ca_file": str(authority)}
        settings = BusSettings.model_validate({**said, "keep": keep, "replicas": replicas})
        async with connected(settings, "centre", "_INBOX") as client:
            bus = CentreBus(client, settings)
            await _until_it_works(bus.follow, "Island", None)
            await _until_it_works(bus.follow, "Island", None)  # the same again changes nothing
            kept = (await client.jetstream().stream_info(names.stream("Island"))).config
            return kept.num_replicas, kept.max_age

    assert asyncio.run(follow(1, "2d")) == (1, 2 * 86400)
    assert asyncio.run(follow(3, "1d")) == (3, 86400)


async def _until_it_works(work, *args, **given):  # type: ignore[no-untyped-def]
    """While there is no leader nobody answers: asked again."""
    from nats import errors
    from nats.js import errors as js_errors

    for _ in range(30):
        try:
            return await work(*args, **given)
        except (errors.Error, js_errors.Error, BusUnavailable, TimeoutError):
            await asyncio.sleep(0.5)
    raise AssertionError("the engines at the centre do not go on")
