"""What one that tracks tells another one of what it stored, and how it is written: JSON."""

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
from kiteroll.core.model.reading import Port


@dataclass(frozen=True, slots=True)
class SiteTold:
    """How far the readings of a site have come."""

    site: str
    state: SiteState


_MAX_OCTETS = 256 << 20
"""Of one message when it is expanded."""
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


class PortNames:
    """Names of ports are told when they are others than before, and no more of ports than that."""

    def __init__(self) -> None:
        self._told: dict[int, tuple[tuple[int, str, str], ...]] = {}
        """Number, name and alias of each, by switch."""

    def in_short(self, event: ReadingStored) -> ReadingStored:
        ports = tuple((port.number, port.name, port.alias) for port in event.ports or ())
        if event.ports is None or ports == self._told.get(event.switch_id):
            return replace(event, ports=None)
        self._told[event.switch_id] = ports
        named = (Port(number=number, name=name, alias=alias) for number, name, alias in ports)
        return replace(event, ports=tuple(named))

    def forget(self, switch: int) -> None:
        """What was told of it last may not have come."""
        self._told.pop(switch, None)


def told_text(one: Told) -> str:
    if isinstance(one, ReadingStored):
        # What no switch had before is for whoever hears it to say.
        one = replace(one, unknown=frozenset())
    written: Any = _CONVERTER.unstructure(one, unstructure_as=Told)
    return json.dumps(written, separators=(",", ":"))


def told_of(text: str | bytes) -> Told:
    """Raises Invalid."""
    try:
        found: Told = _CONVERTER.structure(json.loads(text), Told)  # type: ignore[arg-type]
    except (ValueError, KeyError, BaseValidationError) as wrong:
        raise Invalid(f"what a tracker told is not understood: {str(wrong)[:500]}") from wrong
    return found


def encode_told(one: Told) -> bytes:
    """Compressed."""
    return zlib.compress(told_text(one).encode(), 1)


def decode_told(data: bytes) -> Told:
    """Raises Invalid."""
    try:
        expanding = zlib.decompressobj()
        text = expanding.decompress(data, _MAX_OCTETS)
    except zlib.error as wrong:
        raise Invalid(f"what a tracker told is not understood: {wrong}") from wrong
    return told_of(text)
