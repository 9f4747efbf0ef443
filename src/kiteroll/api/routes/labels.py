"""Labels of addresses, seen or not yet: one by one, or many as one change."""

from typing import Annotated

from fastapi import APIRouter, Query, Response

from kiteroll.api.contract.pages import PageAsk, by
from kiteroll.api.dependencies import TheLabels
from kiteroll.api.presenters.endpoints import present_label
from kiteroll.app.labels import Label
from kiteroll.core.model.mac import MacAddress
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

router = APIRouter(prefix="/labels", tags=["labels"])


@router.get("", summary="Labels of addresses, also of those never seen, by address")
def list_labels(
    ask: Annotated[PageAsk, by("mac", "label", "owner")],
    labels: TheLabels,
    seen: Annotated[bool | None, Query(description="only addresses that were, or were never, seen")] = None,
) -> PageOf[api.Label]:
    found = labels.page(ask, seen)
    return PageOf(items=[present_label(one.label, one.seen) for one in found.items], next=found.next)


@router.patch("", summary="Set labels of many addresses; all of it or nothing")
def change_labels(labels: TheLabels, changes: api.LabelChanges) -> api.LabelsOutcome:
    wanted = {
        MacAddress.parse(mac): None if one is None else one.model_dump(exclude_none=True)
        for mac, one in changes.labels.items()
    }
    differing = labels.change(wanted, dry_run=changes.dry_run)
    return api.LabelsOutcome(
        applied=bool(differing) and not changes.dry_run,
        differences=[
            api.LabelDifference(
                mac=now.mac,  # type: ignore[arg-type]  # the model turns it into text
                before=api.LabelText(label=was.label, owner=was.owner, notes=was.notes),
                after=api.LabelText(label=now.label, owner=now.owner, notes=now.notes),
            )
            for was, now in differing
        ],
    )


@router.get("/{mac}", summary="The label of one address")
def get_label(labels: TheLabels, mac: str) -> api.Label:
    return present_label(labels.get(MacAddress.parse(mac)))


@router.put("/{mac}", summary="Say it, whether or not the address was seen")
def set_label(labels: TheLabels, mac: str, given: api.LabelText) -> api.Label:
    label = Label(MacAddress.parse(mac), **given.model_dump())
    labels.set(label)
    return present_label(label)


@router.delete("/{mac}", status_code=204, summary="Say nothing of it any more")
def remove_label(labels: TheLabels, mac: str) -> Response:
    labels.remove(MacAddress.parse(mac))
    return Response(status_code=204)
