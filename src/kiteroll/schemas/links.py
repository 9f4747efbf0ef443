"""Links to devices, and queries that people keep."""

from typing import Annotated, Literal

from pydantic import Field

from kiteroll.schemas.base import Instant, RequestModel, ResponseModel
from kiteroll.schemas.types import Title


class DeviceLink(ResponseModel):
    name: str
    of: Literal["switch", "endpoint"]
    template: str
    """Of a switch: {address}, {name}, {site}; of an endpoint: {ip}, {mac}, {host_name}, {switch}, {port}."""


class DeviceLinkText(RequestModel):
    of: Literal["switch", "endpoint"] = "switch"
    template: Annotated[str, Field(min_length=1, max_length=1000)]


class DeviceUrl(ResponseModel):
    """A link to one device."""

    name: str
    url: str


class SavedQuery(ResponseModel):
    id: int
    name: str
    path: str
    """Of the console, with everything that is chosen there."""
    owner: str
    shared: bool
    """Whether everybody sees it."""
    own: bool
    saved_at: Instant


class SavedQueryText(RequestModel):
    name: Title
    path: Annotated[str, Field(min_length=1, max_length=2000)]
    shared: bool = False
