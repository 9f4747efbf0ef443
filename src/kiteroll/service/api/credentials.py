"""Named credentials. What is secret in them goes in and never comes out."""

from fastapi import APIRouter, Response

from kiteroll.core.errors import DeviceError
from kiteroll.schemas import api
from kiteroll.service.answers_of_switches import credential_answer
from kiteroll.service.api.common import ERRORS, Running
from kiteroll.store import credentials

router = APIRouter(prefix="/credentials", tags=["credentials"], responses=ERRORS)


@router.get("", summary="The named credentials, by name")
def list_credentials(service: Running) -> list[api.NamedCredential]:
    return [credential_answer(row) for row in service.database.run(credentials.all_credentials)]


@router.post("", status_code=201, summary="Add a credential for switches to use by its name")
def add_credential(service: Running, new: api.NewCredential) -> api.NamedCredential:
    sealed = service.vault.seal(new.access.model_dump_json(exclude_none=True))
    now = service.clock.now()
    row = service.database.run(credentials.add_credential, now, new.name, new.access.kind, sealed)
    return credential_answer(row)


@router.post("/test", summary="Ask one switch once, to see whether a credential works there")
async def test_credential(service: Running, test: api.CredentialTest) -> api.CredentialVerdict:
    asked_as = test.access.kind if test.access else f"credential {test.credential}"
    started = service.clock.monotonic()
    try:
        greeting = await service.stock.test_credential(test)
    except DeviceError as failed:
        took_ms = round((service.clock.monotonic() - started) * 1000)
        return api.CredentialVerdict(works=False, why=str(failed), asked_as=asked_as, took_ms=took_ms)
    odd = "" if greeting.bridges else "it tells no bridge address: it may have no MAC address table to read"
    return api.CredentialVerdict(
        works=True,
        why=odd,
        asked_as=asked_as,
        took_ms=round(greeting.took.total_seconds() * 1000),
        sys_name=greeting.name,
        description=greeting.description,
        location=greeting.location,
        up_s=None if greeting.up is None else greeting.up.total_seconds(),
    )


@router.put("/{name}", summary="Replace it; every switch that uses it is asked by the new one")
async def change_credential(service: Running, name: str, access: api.Credential) -> api.NamedCredential:
    return credential_answer(await service.stock.change_credential(name, access))


@router.delete("/{name}", status_code=204, summary="Remove one that no switch uses")
def remove_credential(service: Running, name: str) -> Response:
    service.database.run(credentials.remove_credential, name)
    return Response(status_code=204)
