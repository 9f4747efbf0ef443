"""Calls about endpoints: find, one of them, who is where, makers."""

from collections.abc import Mapping
from datetime import datetime

from pydantic import TypeAdapter

from kiteroll.client.question import ListQuestion, Question, asked, listed, part
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf


def change_endpoint(mac: str, change: api.EndpointChange) -> Question[api.Endpoint]:
    body = change.model_dump(mode="json", exclude_none=True)
    path = f"/endpoints/{part(mac)}"
    return Question(method="PATCH", path=path, body=body, answer=TypeAdapter(api.Endpoint))


def way(mac: str, *, start: str | None = None, at: datetime | None = None) -> Question[list[api.Hop]]:
    """Hop by hop from `start`, or from the switch furthest away; empty when none is known."""
    path = f"/endpoints/{part(mac)}/way"
    return asked(path, TypeAdapter(list[api.Hop]), start=start, at=at and at.isoformat())


def makers() -> Question[list[api.Maker]]:
    return asked("/makers", TypeAdapter(list[api.Maker]))


def keep_makers(found: Mapping[str, str]) -> Question[list[api.Maker]]:
    body = {"makers": dict(found)}
    return Question(method="PUT", path="/makers", body=body, answer=TypeAdapter(list[api.Maker]))


def remove_maker(prefix: str) -> Question[None]:
    return Question(method="DELETE", path=f"/makers/{part(prefix)}", answer=TypeAdapter(type(None)))


def quiet_times(mac: str, *, days: float = 30, uplinks: bool = True) -> Question[list[api.QuietTime]]:
    """When it was not heard where it was, earliest first."""
    return asked(
        f"/endpoints/{part(mac)}/quiet", TypeAdapter(list[api.QuietTime]), days=days, uplinks=uplinks
    )


def ips(mac: str, *, limit: int = 100) -> Question[list[api.IpStay]]:
    """IP addresses and host names of an endpoint, latest first."""
    return asked(f"/endpoints/{part(mac)}/ips", TypeAdapter(list[api.IpStay]), limit=limit)


def find(text: str, *, limit: int = 50, at: datetime | None = None) -> Question[api.Found]:
    """Endpoints, switches and ports; with `at` endpoints alone, by what they had and where they were then."""
    return asked("/find", TypeAdapter(api.Found), q=text, limit=limit, at=at and at.isoformat())


def endpoints(*, limit: int = 100) -> ListQuestion[api.Endpoint]:
    return listed("/endpoints", TypeAdapter(PageOf[api.Endpoint]), limit=limit)


def endpoint(mac: str, *, at: datetime | None = None) -> Question[api.Endpoint]:
    return asked(f"/endpoints/{part(mac)}", TypeAdapter(api.Endpoint), at=at and at.isoformat())


def stays(
    *,
    switch: str | None = None,
    port: str | None = None,
    vlan: int | None = None,
    mac: str | None = None,
    ended: bool = False,
    at: datetime | None = None,
    uplinks: bool = True,
    limit: int = 100,
) -> ListQuestion[api.Stay]:
    """Who is at a switch, port or VLAN; with `ended` also who was, with `at` who was there then."""
    return listed(
        "/stays",
        TypeAdapter(PageOf[api.Stay]),
        switch=switch,
        port=port,
        vlan=vlan,
        mac=mac,
        ended=ended or None,
        at=at and at.isoformat(),
        uplinks=None if uplinks else False,
        limit=limit,
    )
