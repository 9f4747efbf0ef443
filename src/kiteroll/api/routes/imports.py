"""Readings that are imported by call: documents, and CSV tables by a mapping."""

import asyncio

from fastapi import APIRouter, Response

from kiteroll.api.dependencies import TheImporter, TheMappings
from kiteroll.api.parameters import ERRORS
from kiteroll.api.presenters.history import present_outcome, summarise
from kiteroll.app.imports import Importer
from kiteroll.core.model.reading import Reading
from kiteroll.schemas import api
from kiteroll.schemas.reading_convert import from_document
from kiteroll.schemas.reading_document import ReadingDocument

router = APIRouter(tags=["imports"], responses=ERRORS)


@router.post("/readings", status_code=201, summary="Import reading documents; all of them or none")
async def import_readings(
    importer: TheImporter, documents: list[ReadingDocument]
) -> list[api.ReadingSummary]:
    readings = await asyncio.to_thread(lambda: [from_document(one) for one in documents])
    return [present_outcome(one) for one in await importer.import_readings(readings)]


@router.post("/mac-tables", status_code=201, summary="Import a CSV table of one switch; all of it or nothing")
async def import_mac_table(importer: TheImporter, table: api.NewMacTable) -> api.ReadingSummary:
    reading = await asyncio.to_thread(_reading, importer, table)
    if table.dry_run:
        return summarise(reading, duration_ms=0, changes=0)
    (outcome,) = await importer.import_readings([reading])
    return present_outcome(outcome)


@router.get("/mappings", summary="How CSV tables are understood, by name")
def list_mappings(mappings: TheMappings) -> list[api.NamedMapping]:
    return [
        api.NamedMapping(name=name, mapping=api.CsvMapping.model_validate(one))
        for name, one in mappings.all().items()
    ]


@router.put("/mappings/{name}", summary="Add or replace a mapping")
def set_mapping(mappings: TheMappings, name: api.SwitchName, mapping: api.CsvMapping) -> api.NamedMapping:
    mappings.set(name, mapping.model_dump())
    return api.NamedMapping(name=name, mapping=mapping)


@router.delete("/mappings/{name}", status_code=204, summary="Remove a mapping")
def remove_mapping(mappings: TheMappings, name: str) -> Response:
    mappings.remove(name)
    return Response(status_code=204)


def _reading(importer: Importer, table: api.NewMacTable) -> Reading:
    given = table.mapping
    values = importer.named_mapping(given) if isinstance(given, str) else given.model_dump()
    return importer.table_reading(table.switch, table.taken_at, table.text, values, table.file)
