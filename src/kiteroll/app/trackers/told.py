"""What the tracker of an area tells the service, and how it is written: JSON, compressed."""

import json
import zlib
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from typing import Any

from cattrs import Converter
from cattrs.errors import BaseValidationError
from cattrs.strategies import configure_tagged_union

from kiteroll.app.events import ReadingFailed, ReadingStored
from kiteroll.app.site_intake import SiteState
from kiteroll.core.errors import Invalid
from kiteroll.core.model.changes import Change
from kiteroll.core.model.mac import MacAddress


@dataclass(frozen=True, slots=True)
class SiteTold:
    """How far the readings of a site have come."""

    site: str
    state: SiteState


Told = ReadingStored | ReadingFailed | SiteTold


def _converter() -> Converter:
    made = Converter(omit_if_default=True)
    made.register_unstructure_hook(datetime, datetime.isoformat)
    made.register_structure_hook(datetime, lambda text, _: datetime.fromisoformat(text).astimezone(UTC))
    made.register_unstructure_hook(timedelta, timedelta.total_seconds)
    made.register_structure_hook(timedelta, lambda seconds, _: timedelta(seconds=seconds))
    made.register_unstructure_hook(MacAddress, int)
    made.register_structure_hook(MacAddress, lambda number, _: MacAddress(number))
    configure_tagged_union(Change, made, tag_name="kind")
    configure_tagged_union(Told, made, tag_name="told")
    return made


_CONVERTER = _converter()


def encode_told(one: Told) -> bytes:
    if isinstance(one, ReadingStored):
        # What no switch had before is for the service to say, which knows them all.
        one = replace(one, unknown=frozenset())
    written: Any = _CONVERTER.unstructure(one, unstructure_as=Told)
    return zlib.compress(json.dumps(written, separators=(",", ":")).encode(), 1)


def decode_told(data: bytes) -> Told:
    """Raises Invalid."""
    try:
        found: Told = _CONVERTER.structure(json.loads(zlib.decompress(data)), Told)  # type: ignore[arg-type]
    except (zlib.error, ValueError, KeyError, BaseValidationError) as wrong:
        raise Invalid(f"what a tracker told is not understood: {str(wrong)[:500]}") from wrong
    return found
