"""Readings brought by call: documents, and CSV tables by a mapping."""

import asyncio

from fastapi import APIRouter, Response

from kiteroll.core.reading import Reading
from kiteroll.schemas import api
from kiteroll.schemas.reading_convert import from_document
from kiteroll.schemas.reading_document import ReadingDocument
from kiteroll.service.answers_of_events import attempt_answer
from kiteroll.service.api.common import ERRORS, Running
from kiteroll.service.life import Service
from kiteroll.service.taking import make_mapping, table_reading, take_readings
from kiteroll.store import mappings

router = APIRouter(tags=["files"], responses=ERRORS)


@router.post("/readings", status_code=201, summary="Take reading documents; all of them or none")
async def take_documents(service: Running, documents: list[ReadingDocument]) -> list[api.ReadingSummary]:
    readings = await asyncio.to_thread(lambda: [from_document(one) for one in documents])
    kept = await take_readings(service, readings)
    return [attempt_answer(attempt) for attempt in kept]


@router.post("/tables", status_code=201, summary="Take a CSV table of one switch; all of it or nothing")
async def take_table(service: Running, table: api.NewTable) -> api.ReadingSummary:
    reading = await asyncio.to_thread(_reading, service, table)
    if table.dry_run:
        return api.ReadingSummary(
            switch=reading.switch,
            taken_at=reading.taken_at,
            duration_ms=0,
            outcome="complete",
            rows=len(reading.learned) + len(reading.others),
            changes=0,
            gaps=[],
            error=None,
        )
    (attempt,) = await take_readings(service, [reading])
    return attempt_answer(attempt)


@router.get("/mappings", summary="How CSV tables are understood, by name")
def list_mappings(service: Running) -> list[api.NamedMapping]:
    kept = service.database.run(mappings.all_mappings)
    return [
        api.NamedMapping(name=name, mapping=api.Mapping.model_validate(one)) for name, one in kept.items()
    ]


@router.put("/mappings/{name}", summary="Add or replace a mapping")
def keep_mapping(service: Running, name: api.SwitchName, mapping: api.Mapping) -> api.NamedMapping:
    make_mapping(mapping.model_dump())
    service.database.run(mappings.keep_mapping, name, mapping.model_dump())
    return api.NamedMapping(name=name, mapping=mapping)


@router.delete("/mappings/{name}", status_code=204, summary="Remove a mapping")
def remove_mapping(service: Running, name: str) -> Response:
    service.database.run(mappings.remove_mapping, name)
    return Response(status_code=204)


def _reading(service: Service, table: api.NewTable) -> Reading:
    given = table.mapping
    values = (
        service.database.run(mappings.get_mapping, given) if isinstance(given, str) else given.model_dump()
    )
    return table_reading(service, table.switch, table.taken_at, table.text, values, table.file)
