"""Calls that look wider, and readings that are brought: changes, comparison, map, VLANs, files."""

from collections.abc import Sequence
from datetime import datetime

from pydantic import TypeAdapter

from kiteroll.client.question import ListQuestion, Question, asked, listed, part
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf
from kiteroll.schemas.reading_document import ReadingDocument


def comparison(
    since: datetime,
    *,
    until: datetime | None = None,
    switch: str | None = None,
    group: str | None = None,
    limit: int = 100,
) -> ListQuestion[api.Compared]:
    """What differs between two instants, by address; until now unless `until` is given."""
    return listed(
        "/comparison",
        TypeAdapter(PageOf[api.Compared]),
        since=since.isoformat(),
        until=until and until.isoformat(),
        switch=switch,
        group=group,
        limit=limit,
    )


def network_map() -> Question[api.NetworkMap]:
    return asked("/map", TypeAdapter(api.NetworkMap))


def all_vlans() -> Question[list[api.VlanSummary]]:
    return asked("/vlans", TypeAdapter(list[api.VlanSummary]))


def vlan_ports(number: int) -> Question[list[api.VlanPort]]:
    return asked(f"/vlans/{number}/ports", TypeAdapter(list[api.VlanPort]))


def take_readings(documents: Sequence[ReadingDocument]) -> Question[list[api.ReadingSummary]]:
    """All of them, or none."""
    body = [document.model_dump(mode="json") for document in documents]
    answer = TypeAdapter(list[api.ReadingSummary])
    return Question(method="POST", path="/readings", body=body, answer=answer, patience_s=120)


def take_table(table: api.NewTable) -> Question[api.ReadingSummary]:
    body = table.model_dump(mode="json")
    answer = TypeAdapter(api.ReadingSummary)
    return Question(method="POST", path="/tables", body=body, answer=answer, patience_s=120)


def mappings() -> Question[list[api.NamedMapping]]:
    return asked("/mappings", TypeAdapter(list[api.NamedMapping]))


def keep_mapping(name: str, mapping: api.Mapping) -> Question[api.NamedMapping]:
    path = f"/mappings/{part(name)}"
    body = mapping.model_dump(mode="json")
    return Question(method="PUT", path=path, body=body, answer=TypeAdapter(api.NamedMapping))


def remove_mapping(name: str) -> Question[None]:
    return Question(method="DELETE", path=f"/mappings/{part(name)}", answer=TypeAdapter(type(None)))


def changes(
    *,
    since: datetime | None = None,
    until: datetime | None = None,
    switch: str | None = None,
    mac: str | None = None,
    kinds: Sequence[api.ChangeKind] = (),
    uplinks: bool = True,
    limit: int = 100,
) -> ListQuestion[api.Change]:
    """Changes in [since, until), latest first; with `uplinks` false, only those on other ports."""
    return listed(
        "/changes",
        TypeAdapter(PageOf[api.Change]),
        since=since and since.isoformat(),
        until=until and until.isoformat(),
        switch=switch,
        mac=mac,
        kind=list(kinds) or None,
        uplinks=None if uplinks else False,
        limit=limit,
    )


def readings(*, switch: str | None = None, limit: int = 100) -> ListQuestion[api.ReadingSummary]:
    return listed("/readings", TypeAdapter(PageOf[api.ReadingSummary]), switch=switch, limit=limit)


def health() -> Question[api.ServiceHealth]:
    return asked("/health", TypeAdapter(api.ServiceHealth))
