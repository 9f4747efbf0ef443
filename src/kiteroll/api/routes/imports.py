"""Readings that are imported by call: documents, and CSV tables by a mapping."""

import asyncio
import logging
from typing import Annotated

from fastapi import APIRouter, Request, Response

from kiteroll.api.admission import ThePrincipal
from kiteroll.api.contract.located import located
from kiteroll.api.contract.pages import PageAsk, by, page
from kiteroll.api.dependencies import TheImporter, TheMappings
from kiteroll.api.presenters.history import present_outcome, summarise
from kiteroll.app.imports import Importer
from kiteroll.app.logs import fields
from kiteroll.core.errors import Invalid
from kiteroll.core.model.reading import Reading
from kiteroll.core.model.reading_summary import ReadingSummary
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf
from kiteroll.schemas.reading_files import read_readings

log = logging.getLogger(__name__)
_COMPONENTS = "#/components/schemas/{model}"
_BODY = {"type": "array", "items": {"$ref": _COMPONENTS.format(model="ReadingDocument")}}
router = APIRouter(tags=["imports"])


@router.post(
    "/readings",
    status_code=201,
    summary="Import reading documents; all of them or none",
    openapi_extra={"requestBody": {"required": True, "content": {"application/json": {"schema": _BODY}}}},
)
async def import_readings(
    response: Response, importer: TheImporter, request: Request, principal: ThePrincipal
) -> list[api.ReadingSummary]:
    located(response, "readings")
    body = await request.body()
    # In a thread, one document after another: a large body is not to keep other calls waiting.
    documents = await asyncio.to_thread(_documents, body)
    stored = await importer.import_readings(documents)
    about = fields("import.done", switches=[one.switch for one in stored], by=principal.name)
    log.info("readings imported", extra=about | {"via": principal.via})
    return [present_outcome(one) for one in stored]


@router.post("/mac-tables", status_code=201, summary="Import a CSV table of one switch; all of it or nothing")
async def import_mac_table(
    response: Response, importer: TheImporter, table: api.NewMacTable
) -> api.ReadingSummary:
    located(response, "readings")
    reading = await asyncio.to_thread(_reading, importer, table)
    if table.dry_run:
        return summarise(reading.switch, ReadingSummary.of(reading), duration_ms=0, changes=0)
    (outcome,) = await importer.import_readings([reading])
    return present_outcome(outcome)


@router.get("/mappings", summary="How CSV tables are understood, by name")
def list_mappings(ask: Annotated[PageAsk, by("name")], mappings: TheMappings) -> PageOf[api.NamedMapping]:
    rows = [
        api.NamedMapping(name=name, mapping=api.CsvMapping.model_validate(one))
        for name, one in mappings.all().items()
    ]
    return page(rows, ask, "name")


@router.get("/mappings/{name}", summary="One mapping")
def get_mapping(mappings: TheMappings, name: str) -> api.NamedMapping:
    return api.NamedMapping(name=name, mapping=api.CsvMapping.model_validate(mappings.get(name)))


@router.put("/mappings/{name}", summary="Add or replace a mapping")
def set_mapping(mappings: TheMappings, name: api.Name, mapping: api.CsvMapping) -> api.NamedMapping:
    mappings.set(name, mapping.model_dump())
    return api.NamedMapping(name=name, mapping=mapping)


@router.delete("/mappings/{name}", status_code=204, summary="Remove a mapping")
def remove_mapping(mappings: TheMappings, name: str) -> Response:
    mappings.remove(name)
    return Response(status_code=204)


def _documents(body: bytes) -> list[Reading]:
    try:
        text = body.decode()
    except UnicodeDecodeError as wrong:
        raise Invalid(f"the body is not UTF-8 text, at octet {wrong.start}") from wrong
    return read_readings(text, "the body")


def _reading(importer: Importer, table: api.NewMacTable) -> Reading:
    given = table.mapping
    values = importer.named_mapping(given) if isinstance(given, str) else given.model_dump()
    return importer.table_reading(table.switch, table.taken_at, table.text, values, table.file)
