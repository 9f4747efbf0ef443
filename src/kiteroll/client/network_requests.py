"""Calls about the network and its history: changes, differences, map, VLANs, imports."""

from collections.abc import Sequence
from datetime import datetime

from pydantic import TypeAdapter

from kiteroll.client.request import ApiListRequest, ApiRequest, get_list, get_request, part
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf
from kiteroll.schemas.reading_document import ReadingDocument


def differences(
    since: datetime,
    *,
    until: datetime | None = None,
    switch: str | None = None,
    group: str | None = None,
    limit: int = 100,
) -> ApiListRequest[api.Difference]:
    """What differs between two instants, by address; until now unless `until` is given."""
    return get_list(
        "/differences",
        TypeAdapter(PageOf[api.Difference]),
        since=since.isoformat(),
        until=until and until.isoformat(),
        switch=switch,
        group=group,
        limit=limit,
    )


def unread_switches(
    *, at: datetime | None = None, switch: str | None = None, group: str | None = None
) -> ApiListRequest[api.UnreadSwitch]:
    """Switches that were not read around an instant; now, unless `at` is given."""
    return get_list(
        "/unread-switches", TypeAdapter(PageOf[api.UnreadSwitch]), at=at, switch=switch, group=group
    )


def network_map(*, at: datetime | None = None) -> ApiRequest[api.NetworkMap]:
    """`at`: links as they were known then."""
    return get_request("/map", TypeAdapter(api.NetworkMap), at=at)


def all_vlans() -> ApiListRequest[api.VlanSummary]:
    return get_list("/vlans", TypeAdapter(PageOf[api.VlanSummary]))


def vlan_ports(number: int) -> ApiListRequest[api.VlanPort]:
    return get_list(f"/vlans/{number}/ports", TypeAdapter(PageOf[api.VlanPort]))


def import_readings(documents: Sequence[ReadingDocument]) -> ApiRequest[list[api.ReadingSummary]]:
    """All of them, or none."""
    body = [document.model_dump(mode="json") for document in documents]
    answer = TypeAdapter(list[api.ReadingSummary])
    return ApiRequest(method="POST", path="/readings", body=body, answer=answer, patience_s=120)


def import_mac_table(table: api.NewMacTable) -> ApiRequest[api.ReadingSummary]:
    body = table.model_dump(mode="json")
    answer = TypeAdapter(api.ReadingSummary)
    return ApiRequest(method="POST", path="/mac-tables", body=body, answer=answer, patience_s=120)


def mappings() -> ApiListRequest[api.NamedMapping]:
    return get_list("/mappings", TypeAdapter(PageOf[api.NamedMapping]))


def set_mapping(name: str, mapping: api.CsvMapping) -> ApiRequest[api.NamedMapping]:
    path = f"/mappings/{part(name)}"
    body = mapping.model_dump(mode="json")
    return ApiRequest(method="PUT", path=path, body=body, answer=TypeAdapter(api.NamedMapping))


def remove_mapping(name: str) -> ApiRequest[None]:
    return ApiRequest(method="DELETE", path=f"/mappings/{part(name)}", answer=TypeAdapter(type(None)))


def changes(
    *,
    since: datetime | None = None,
    until: datetime | None = None,
    switch: str | None = None,
    mac: str | None = None,
    kinds: Sequence[api.ChangeKind] = (),
    uplinks: bool = True,
    limit: int = 100,
) -> ApiListRequest[api.Change]:
    """Changes in [since, until), latest first; with `uplinks` false, only those on other ports."""
    return get_list(
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


def hours(many: int = 24) -> ApiListRequest[api.Hour]:
    """What came hour by hour, of the last so many."""
    return get_list("/hours", TypeAdapter(PageOf[api.Hour]), hours=many)


def readings(*, switch: str | None = None, limit: int = 100) -> ApiListRequest[api.ReadingSummary]:
    return get_list("/readings", TypeAdapter(PageOf[api.ReadingSummary]), switch=switch, limit=limit)


def health() -> ApiRequest[api.ServiceHealth]:
    return get_request("/health", TypeAdapter(api.ServiceHealth))


def settings() -> ApiListRequest[api.Setting]:
    """Those that can be changed while the service runs."""
    return get_list("/settings", TypeAdapter(PageOf[api.Setting]))


def set_setting(name: str, value: float | str) -> ApiRequest[api.Setting]:
    """`value`: a number, or a span such as 15m. Holds at once."""
    path, body = f"/settings/{part(name)}", {"value": value}
    return ApiRequest(method="PUT", path=path, body=body, answer=TypeAdapter(api.Setting))


def reset_setting(name: str) -> ApiRequest[api.Setting]:
    """Back to the default."""
    return ApiRequest(method="DELETE", path=f"/settings/{part(name)}", answer=TypeAdapter(api.Setting))
