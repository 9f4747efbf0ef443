"""The client library: pages join up, errors come back whole, safe calls are repeated."""

import asyncio
from importlib import import_module
from inspect import isclass, isfunction
from types import ModuleType

import httpx
import pytest

from kiteroll import client as library
from kiteroll.client import (
    AsyncClient,
    Client,
    ServiceError,
    ServiceUnreachable,
    add_switch,
    endpoints,
    health,
    readings,
    search,
)
from kiteroll.schemas import api
from kiteroll.schemas.api import Credential, NewSwitch
from tests.support.harness import Service

NEW = NewSwitch(name="x", host="127.0.0.1", access=Credential(community="c"))


@pytest.mark.parametrize("package", [library, api], ids=["client", "schemas"])
def test_every_request_and_model_is_reached_by_its_name(package: ModuleType) -> None:
    names = package._NAMES
    assert sorted(package.__all__) == sorted({one for given in names.values() for one in given.split()})
    for name in set(names) - {"request"}:  # which has what requests are made with, too
        module = import_module(f"{package.__name__.removesuffix('.api')}.{name}")
        own = [one for one in vars(module).values() if isclass(one) or isfunction(one)]
        names_there = {one.__name__ for one in own if one.__module__ == module.__name__}
        public = {one for one in names_there if one.isidentifier() and not one.startswith("_")}
        assert public <= set(names[name].split()), name
    for name in package.__all__:
        assert getattr(package, name) is not None


def test_both_clients_give_the_same_answers(service: Service) -> None:
    async def ask() -> tuple[list[str], object]:
        async with AsyncClient(service.url, service.token) as kite:
            return [one.mac async for one in kite.each(endpoints(limit=50))], await kite.send(
                search("quay-1")
            )

    with service.client() as kite:
        macs, found = [one.mac for one in kite.each(endpoints(limit=50))], kite.send(search("quay-1"))
        assert len(macs) > 150 and macs == sorted(set(macs))
    their_macs, their_found = asyncio.run(ask())
    assert their_macs == macs
    assert [one.name for one in their_found.switches] == [one.name for one in found.switches]  # type: ignore[attr-defined]


class Flaky(httpx.MockTransport):
    """Fails `failures` times, then passes."""

    def __init__(self, failures: int, failure: object) -> None:
        self.calls = 0

        def handle(request: httpx.Request) -> httpx.Response:
            self.calls += 1
            if self.calls <= failures:
                if isinstance(failure, Exception):
                    raise failure
                return httpx.Response(503, json=_PROBLEM)
            return httpx.Response(200, json={"items": [], "next": None})

        super().__init__(handle)


_PROBLEM = {
    "type": "urn:x",
    "title": "Database unavailable",
    "status": 503,
    "detail": "away",
    "code": "storage_unavailable",
}


@pytest.mark.parametrize("failure", [httpx.ConnectError("refused"), httpx.ReadError("cut"), 503])
def test_a_safe_call_is_repeated_and_then_given_up(failure: object, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("kiteroll.client.service_urls.PAUSES_S", (0.0, 0.0))
    passes, fails = Flaky(2, failure), Flaky(3, failure)
    assert Client("http://kite", "t", transport=passes).send(readings()).items == []
    with pytest.raises((ServiceUnreachable, ServiceError)) as given_up:
        Client("http://kite", "t", transport=fails).send(readings())
    assert fails.calls == 3 and ("kite" in str(given_up.value) or "away" in str(given_up.value))


@pytest.mark.parametrize(
    ("failure", "calls"), [(httpx.ReadError("cut"), 1), (503, 1), (httpx.ConnectError("refused"), 3)]
)
def test_a_call_that_changes_something_is_repeated_only_if_it_never_got_there(
    failure: object, calls: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("kiteroll.client.service_urls.PAUSES_S", (0.0, 0.0))
    flaky = Flaky(9, failure)
    with pytest.raises((ServiceUnreachable, ServiceError)):
        Client("http://kite", "t", transport=flaky).send(add_switch(NEW))
    assert flaky.calls == calls


def test_of_several_services_the_one_that_answers_is_asked(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("kiteroll.client.service_urls.PAUSES_OF_SEVERAL_S", (0.0,) * 3)
    asked: list[str] = []

    def answer(request: httpx.Request) -> httpx.Response:
        asked.append(request.url.host)
        if request.url.host == "kite-1":
            raise httpx.ConnectError("refused")
        return httpx.Response(200, json={"items": [], "next": None})

    kite = Client("http://kite-1, http://kite-2/", "t", transport=httpx.MockTransport(answer))
    assert kite.send(readings()).items == kite.send(readings()).items == []
    assert asked == ["kite-1", "kite-2", "kite-2"] and kite.url == "http://kite-2"  # it stays with that one


def test_an_answer_of_something_else_is_reported() -> None:
    other = httpx.MockTransport(lambda request: httpx.Response(200, text="<html>hello"))
    with pytest.raises(ServiceError, match="status 200: the answer is not from Kite Roll"):
        Client("http://kite", "t", transport=other).send(health())


def test_an_answer_of_another_version_is_reported_by_what_it_lacks() -> None:
    older = httpx.MockTransport(lambda request: httpx.Response(200, json={"items": [{}], "next": None}))
    reported = r"cannot be parsed: items\.0\.switch is required \(and \d+ more\); .* of one version\?"
    with pytest.raises(ServiceError, match=reported):
        Client("http://kite", "t", transport=older).send(readings())


def test_a_problem_comes_back_whole(service: Service) -> None:
    with Client(service.url, "wrong") as kite, pytest.raises(ServiceError) as refused:
        kite.send(health())
    assert (refused.value.status, refused.value.code) == (401, "not_signed_in")
