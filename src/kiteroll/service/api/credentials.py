"""Named credentials. What is secret in them goes in and never comes out."""

from fastapi import APIRouter, Response

from kiteroll.schemas import api
from kiteroll.service.answers import credential_answer
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


@router.put("/{name}", summary="Replace it; every switch that uses it is asked by the new one")
async def change_credential(service: Running, name: str, access: api.Credential) -> api.NamedCredential:
    return credential_answer(await service.change_credential(name, access))


@router.delete("/{name}", status_code=204, summary="Remove one that no switch uses")
def remove_credential(service: Running, name: str) -> Response:
    service.database.run(credentials.remove_credential, name)
    return Response(status_code=204)
