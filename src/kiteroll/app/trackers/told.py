"""What one that tracks tells another one of what it stored, and how it is written: JSON."""

import json
import zlib
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
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
from kiteroll.store.json_converter import json_converter


@dataclass(frozen=True, slots=True)
class SiteTold:
    """How far the readings of a site have come."""

    site: str
    state: SiteState


_MAX_OCTETS = 256 << 20
"""Of one message when it is expanded."""
Told = ReadingStored | ReadingFailed | SiteTold


def _converter() -> Converter:
    made = json_converter()
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


def told_text(one: Told) -> str:
    return json.dumps(_written(one), separators=(",", ":"))


def told_of(text: str) -> Told:
    """Raises Invalid."""
    with _understanding():
        return _CONVERTER.structure(json.loads(text), Told)  # type: ignore[arg-type]


def encode_told(several: Sequence[Told]) -> bytes:
    """Compressed."""
    return zlib.compress(json.dumps([_written(one) for one in several], separators=(",", ":")).encode(), 1)


def decode_told(data: bytes) -> list[Told]:
    """Raises Invalid."""
    with _understanding():
        text = zlib.decompressobj().decompress(data, _MAX_OCTETS)
        return _CONVERTER.structure(json.loads(text), list[Told])


def _written(one: Told) -> Any:
    if isinstance(one, ReadingStored):
        # What no switch had before is for whoever hears it to say.
        one = replace(one, unknown=frozenset())
    return _CONVERTER.unstructure(one, unstructure_as=Told)


@contextmanager
def _understanding() -> Iterator[None]:
    try:
        yield
    except (zlib.error, ValueError, KeyError, BaseValidationError) as wrong:
        raise Invalid(f"what a tracker told is not understood: {str(wrong)[:500]}") from wrong
