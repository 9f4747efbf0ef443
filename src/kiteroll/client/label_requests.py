"""Calls about labels of addresses."""

from pydantic import TypeAdapter

from kiteroll.client.request import ApiListRequest, ApiRequest, get_list, part
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf


def labels(*, seen: bool | None = None) -> ApiListRequest[api.Label]:
    """`seen`: only of addresses that were, or were never, seen."""
    return get_list("/labels", TypeAdapter(PageOf[api.Label]), seen=seen)


def set_label(mac: str, text: api.LabelText) -> ApiRequest[api.Label]:
    body = text.model_dump(mode="json")
    return ApiRequest(method="PUT", path=f"/labels/{part(mac)}", body=body, answer=TypeAdapter(api.Label))


def change_labels(changes: api.LabelChanges) -> ApiRequest[api.LabelsOutcome]:
    """Many as one change."""
    labels = {
        mac: None if one is None else one.model_dump(mode="json", exclude_none=True)
        for mac, one in changes.labels.items()
    }
    body = {"labels": labels, "dry_run": changes.dry_run}
    return ApiRequest(method="PATCH", path="/labels", body=body, answer=TypeAdapter(api.LabelsOutcome))


def remove_label(mac: str) -> ApiRequest[None]:
    return ApiRequest(method="DELETE", path=f"/labels/{part(mac)}", answer=TypeAdapter(type(None)))
