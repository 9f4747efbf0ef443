"""Calls about switches: the inventory, their ports, credentials, rounds."""

from datetime import datetime

from pydantic import TypeAdapter

from kiteroll.client.request import ApiListRequest, ApiRequest, get_list, get_request, part
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf


def switches(
    *, site: str | None = None, group: str | None = None, limit: int = 100
) -> ApiListRequest[api.Switch]:
    return get_list("/switches", TypeAdapter(PageOf[api.Switch]), site=site, group=group, limit=limit)


def switch(name: str) -> ApiRequest[api.Switch]:
    return get_request(f"/switches/{part(name)}", TypeAdapter(api.Switch))


def add_switch(new: api.NewSwitch) -> ApiRequest[api.Switch]:
    return ApiRequest(
        method="POST", path="/switches", body=new.model_dump(mode="json"), answer=TypeAdapter(api.Switch)
    )


def change_switch(name: str, change: api.SwitchChange) -> ApiRequest[api.Switch]:
    body = change.model_dump(mode="json", exclude_none=True)
    return ApiRequest(
        method="PATCH", path=f"/switches/{part(name)}", body=body, answer=TypeAdapter(api.Switch)
    )


def change_switches(changes: api.InventoryChanges) -> ApiRequest[api.InventoryOutcome]:
    """Add and change many; all of them or none."""
    body = changes.model_dump(mode="json", exclude_unset=True)
    answer = TypeAdapter(api.InventoryOutcome)
    return ApiRequest(method="PATCH", path="/switches", body=body, answer=answer, patience_s=120)


def remove_switch(name: str) -> ApiRequest[None]:
    return ApiRequest(method="DELETE", path=f"/switches/{part(name)}", answer=TypeAdapter(type(None)))


def read_now(name: str) -> ApiRequest[api.ReadingSummary]:
    """Answers when the reading is stored, or has failed: up to some minutes for a slow switch. One that is
    being read this moment is read again right after."""
    return ApiRequest(
        method="POST",
        path=f"/switches/{part(name)}/readings",
        answer=TypeAdapter(api.ReadingSummary),
        patience_s=300,
    )


def begin_round(new: api.NewRound) -> ApiRequest[api.Round]:
    """Read many switches; answers at once, `round_status` shows how far it is."""
    body = new.model_dump(mode="json", exclude_none=True)
    return ApiRequest(method="POST", path="/rounds", body=body, answer=TypeAdapter(api.Round))


def change_port(switch: str, port: str, change: api.PortChange) -> ApiRequest[api.Port]:
    path = f"/switches/{part(switch)}/ports/{part(port)}"
    body = change.model_dump(mode="json")
    return ApiRequest(method="PATCH", path=path, body=body, answer=TypeAdapter(api.Port))


def address_counts(switch: str, port: str, *, days: float = 7) -> ApiListRequest[api.CountPoint]:
    """How many addresses were on a port over time."""
    path = f"/switches/{part(switch)}/ports/{part(port)}/address-counts"
    return get_list(path, TypeAdapter(PageOf[api.CountPoint]), days=days)


def rounds() -> ApiListRequest[api.Round]:
    return get_list("/rounds", TypeAdapter(PageOf[api.Round]))


def round_status(number: int) -> ApiRequest[api.Round]:
    return get_request(f"/rounds/{number}", TypeAdapter(api.Round))


def cancel_round(number: int) -> ApiRequest[api.Round]:
    return ApiRequest(method="POST", path=f"/rounds/{number}/cancel", answer=TypeAdapter(api.Round))


def resume_round(number: int) -> ApiRequest[api.Round]:
    return ApiRequest(method="POST", path=f"/rounds/{number}/resume", answer=TypeAdapter(api.Round))


def groups() -> ApiListRequest[api.Group]:
    return get_list("/groups", TypeAdapter(PageOf[api.Group]))


def change_group(name: str, change: api.GroupChange) -> ApiRequest[api.Group]:
    path, body = f"/groups/{part(name)}", change.model_dump(mode="json", exclude_unset=True)
    return ApiRequest(method="PATCH", path=path, body=body, answer=TypeAdapter(api.Group))


def sites() -> ApiListRequest[api.Site]:
    return get_list("/sites", TypeAdapter(PageOf[api.Site]))


def areas() -> ApiListRequest[api.Area]:
    """Sites that share layer 2, and who tracks their switches; by name."""
    return get_list("/areas", TypeAdapter(PageOf[api.Area]))


def change_site(name: str, change: api.SiteChange) -> ApiRequest[api.Site]:
    path, body = f"/sites/{part(name)}", change.model_dump(mode="json", exclude_unset=True)
    return ApiRequest(method="PATCH", path=path, body=body, answer=TypeAdapter(api.Site))


def test_credential(test: api.CredentialTest) -> ApiRequest[api.CredentialVerdict]:
    body = test.model_dump(mode="json", exclude_none=True)
    answer = TypeAdapter(api.CredentialVerdict)
    return ApiRequest(method="POST", path="/credentials/test", body=body, answer=answer, patience_s=90)


def ports(name: str, *, at: datetime | None = None) -> ApiListRequest[api.Port]:
    """With `at`: who was on them then, their links and what they led to; the rest is as it is now."""
    path = f"/switches/{part(name)}/ports"
    return get_list(path, TypeAdapter(PageOf[api.Port]), at=at and at.isoformat())


def link_history(switch: str, port: str, *, days: float = 7) -> ApiListRequest[api.LinkChange]:
    """What became of a port's link, latest first."""
    path = f"/switches/{part(switch)}/ports/{part(port)}/link-history"
    return get_list(path, TypeAdapter(PageOf[api.LinkChange]), days=days)


def neighbours(name: str) -> ApiListRequest[api.Neighbour]:
    return get_list(f"/switches/{part(name)}/neighbours", TypeAdapter(PageOf[api.Neighbour]))


def discovered_switches() -> ApiListRequest[api.Neighbour]:
    """Neighbours that are bridges and not in the inventory."""
    return get_list("/discovered-switches", TypeAdapter(PageOf[api.Neighbour]))


def credentials() -> ApiListRequest[api.NamedCredential]:
    return get_list("/credentials", TypeAdapter(PageOf[api.NamedCredential]))


def add_credential(new: api.NewCredential) -> ApiRequest[api.NamedCredential]:
    body = new.model_dump(mode="json", exclude_none=True)
    return ApiRequest(method="POST", path="/credentials", body=body, answer=TypeAdapter(api.NamedCredential))


def change_credential(name: str, access: api.Credential) -> ApiRequest[api.NamedCredential]:
    """Replaces it for every switch that uses it."""
    return ApiRequest(
        method="PUT",
        path=f"/credentials/{part(name)}",
        body=access.model_dump(mode="json", exclude_none=True),
        answer=TypeAdapter(api.NamedCredential),
    )


def remove_credential(name: str) -> ApiRequest[None]:
    return ApiRequest(method="DELETE", path=f"/credentials/{part(name)}", answer=TypeAdapter(type(None)))


def vlans(name: str) -> ApiListRequest[api.Vlan]:
    return get_list(f"/switches/{part(name)}/vlans", TypeAdapter(PageOf[api.Vlan]))
