"""Evidence and details of findings as JSON: each piece of evidence with its type, instants as RFC 3339."""

from typing import Any

from cattrs import Converter
from cattrs.strategies import configure_tagged_union

from kiteroll.core.findings.evidence import Evidence
from kiteroll.core.findings.finding import Details
from kiteroll.core.model.mac import MacAddress
from kiteroll.store.json_converter import json_converter


def _converter() -> Converter:
    made = json_converter()
    made.register_unstructure_hook(MacAddress, str)
    made.register_structure_hook(MacAddress, lambda text, _: MacAddress.parse(text))
    configure_tagged_union(Evidence, made, tag_name="type")
    return made


_CONVERTER = _converter()


def encode_evidence(evidence: tuple[Evidence, ...]) -> list[dict[str, Any]]:
    return [_CONVERTER.unstructure(one, unstructure_as=Evidence) for one in evidence]


def decode_evidence(data: list[dict[str, Any]]) -> tuple[Evidence, ...]:
    return tuple(_CONVERTER.structure(one, Evidence) for one in data)  # type: ignore[arg-type]


def encode_details(details: Details) -> dict[str, Any]:
    encoded: dict[str, Any] = _CONVERTER.unstructure(details)
    return encoded


def decode_details(data: dict[str, Any]) -> Details:
    return _CONVERTER.structure(data, Details)
