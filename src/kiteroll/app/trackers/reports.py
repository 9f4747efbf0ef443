"""What a tracker reports to others of what it stored, as JSON."""

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
class SiteReport:
    """How far the readings of a site have come."""

    site: str
    state: SiteState


_MAX_OCTETS = 256 << 20
"""Of one message when it is expanded."""
Report = ReadingStored | ReadingFailed | SiteReport


def _converter() -> Converter:
    made = json_converter()
    made.register_unstructure_hook(MacAddress, int)
    made.register_structure_hook(MacAddress, lambda number, _: MacAddress(number))
    configure_tagged_union(Change, made, tag_name="kind")
    configure_tagged_union(Report, made, tag_name="report")
    return made


_CONVERTER = _converter()


class PortNames:
    """Names of ports are reported when they are others than before, and no more of ports than that."""

    def __init__(self) -> None:
        self._reported: dict[int, tuple[tuple[int, str, str], ...]] = {}
        """Number, name and alias of each, by switch."""

    def in_short(self, event: ReadingStored) -> ReadingStored:
        ports = tuple((port.number, port.name, port.alias) for port in event.ports or ())
        if event.ports is None or ports == self._reported.get(event.switch_id):
            return replace(event, ports=None)
        self._reported[event.switch_id] = ports
        named = (Port(number=number, name=name, alias=alias) for number, name, alias in ports)
        return replace(event, ports=tuple(named))


def report_text(one: Report) -> str:
    return json.dumps(_written(one), separators=(",", ":"))


def parse_report(text: str) -> Report:
    """Raises Invalid."""
    with _understanding():
        return _CONVERTER.structure(json.loads(text), Report)  # type: ignore[arg-type]


def encode_reports(several: Sequence[Report]) -> bytes:
    """Compressed."""
    return zlib.compress(json.dumps([_written(one) for one in several], separators=(",", ":")).encode(), 1)


def decode_reports(data: bytes) -> list[Report]:
    """Raises Invalid."""
    with _understanding():
        text = zlib.decompressobj().decompress(data, _MAX_OCTETS)
        return _CONVERTER.structure(json.loads(text), list[Report])


def _written(one: Report) -> Any:
    if isinstance(one, ReadingStored):
        # What no switch had before is for whoever hears it to say.
        one = replace(one, unknown=frozenset())
    return _CONVERTER.unstructure(one, unstructure_as=Report)


@contextmanager
def _understanding() -> Iterator[None]:
    try:
        yield
    except (zlib.error, ValueError, KeyError, BaseValidationError) as wrong:
        raise Invalid(f"what a tracker reported is not understood: {str(wrong)[:500]}") from wrong
