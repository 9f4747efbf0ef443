"""What operators say of addresses."""

from typing import Annotated

from pydantic import Field

from kiteroll.schemas.base import MacText, RequestModel, ResponseModel

_MOST = 10_000


class Label(ResponseModel):
    mac: MacText
    label: str
    owner: str
    notes: str
    seen: bool | None = None
    """Whether a switch has learned it since it is recorded; only in lists."""


class LabelText(RequestModel):
    label: Annotated[str, Field(max_length=128)] = ""
    owner: Annotated[str, Field(max_length=128)] = ""
    notes: Annotated[str, Field(max_length=4000)] = ""


class LabelChange(RequestModel):
    """Only what is given changes."""

    label: Annotated[str, Field(max_length=128)] | None = None
    owner: Annotated[str, Field(max_length=128)] | None = None
    notes: Annotated[str, Field(max_length=4000)] | None = None


class LabelChanges(RequestModel):
    labels: Annotated[dict[MacText, LabelChange | None], Field(min_length=1, max_length=_MOST)]
    """By address; null removes its label."""
    dry_run: bool = False


class LabelDifference(ResponseModel):
    mac: MacText
    before: LabelText
    after: LabelText


class LabelsOutcome(ResponseModel):
    applied: bool
    differences: list[LabelDifference]
