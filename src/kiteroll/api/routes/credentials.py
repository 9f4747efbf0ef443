"""Named credentials. What is secret in them goes in and never comes out."""

from typing import Annotated

from fastapi import APIRouter, Response

from kiteroll.api.contract.located import located
from kiteroll.api.contract.pages import PageAsk, by, page
from kiteroll.api.dependencies import TheClock, TheCredentials
from kiteroll.api.presenters.switches import present_credential
from kiteroll.app.named_credentials import Access, ChosenAccess
from kiteroll.core.errors import DeviceError
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

router = APIRouter(prefix="/credentials", tags=["credentials"])


def access_of(given: api.Credential) -> Access:
    return Access(given.model_dump(mode="json", exclude_none=True), given.kind)


def chosen_access(own: api.Credential | None, named: str | None) -> ChosenAccess:
    return named if own is None else access_of(own)


@router.get("", summary="Named credentials, by name")
def list_credentials(
    ask: Annotated[PageAsk, by("name", "kind", "used_by", "added_at")], credentials: TheCredentials
) -> PageOf[api.NamedCredential]:
    rows = [present_credential(row) for row in credentials.all()]
    return page(rows, ask, "name")


@router.post("", status_code=201, summary="Add a credential for switches to use by its name")
def add_credential(
    response: Response, credentials: TheCredentials, new: api.NewCredential
) -> api.NamedCredential:
    located(response, "credentials", new.name)
    return present_credential(credentials.add(new.name, access_of(new.access)))


@router.post("/test", summary="Try a credential on one switch; nothing is stored")
async def test_credential(
    credentials: TheCredentials, clock: TheClock, test: api.CredentialTest
) -> api.CredentialVerdict:
    kind = test.access.kind if test.access else f"credential {test.credential}"
    started = clock.monotonic()
    try:
        identity = await credentials.test(test.host, test.port, chosen_access(test.access, test.credential))
    except DeviceError as failed:
        took_ms = round((clock.monotonic() - started) * 1000)
        return api.CredentialVerdict(works=False, why=str(failed), credential_kind=kind, took_ms=took_ms)
    odd = "" if identity.bridges else "it has no bridge address: there may be no MAC address table to read"
    return api.CredentialVerdict(
        works=True,
        why=odd,
        credential_kind=kind,
        took_ms=round(identity.took.total_seconds() * 1000),
        sys_name=identity.name,
        description=identity.description,
        location=identity.location,
        up_s=None if identity.up is None else identity.up.total_seconds(),
    )


@router.get("/{name}", summary="One credential, without what is secret in it")
def get_credential(credentials: TheCredentials, name: str) -> api.NamedCredential:
    return present_credential(credentials.get(name))


@router.put("/{name}", summary="Replace a credential; its switches are polled with the new one")
async def change_credential(
    credentials: TheCredentials, name: str, access: api.Credential
) -> api.NamedCredential:
    return present_credential(await credentials.change(name, access_of(access)))


@router.delete("/{name}", status_code=204, summary="Remove a credential that no switch uses")
def remove_credential(credentials: TheCredentials, name: str) -> Response:
    credentials.remove(name)
    return Response(status_code=204)
