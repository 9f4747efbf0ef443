"""A reading with its endpoints packed: one string of VLANs and addresses a port, in place of a row for each.

Nearly all of a reading is such rows, and as part of a document each is made, checked and read by itself.
"""

import struct
from collections import defaultdict
from collections.abc import Mapping
from typing import Annotated

from pydantic import Field

from kiteroll.core.errors import Invalid
from kiteroll.core.model import bounds
from kiteroll.core.model.mac import GROUP_BIT
from kiteroll.core.model.reading import Reading, key_of
from kiteroll.schemas.base import ResponseModel
from kiteroll.schemas.reading_convert import from_document, to_document
from kiteroll.schemas.reading_document import ReadingDocument

_DIGITS = 16
"""Of a key: eight octets, the VLAN (0: not known) in two and the address in six."""
_HIGHEST = key_of((1 << 48) - 1, bounds.VLAN)


class LearnedRows(ResponseModel):
    """Endpoints at one port."""

    port: int
    """Its number."""
    keys: Annotated[str, Field(pattern=r"^([0-9a-f]{16})*$", max_length=_DIGITS * bounds.ROWS)]


class PackedReading(ResponseModel):
    document: ReadingDocument
    """Without the rows that stand for endpoints."""
    learned: list[LearnedRows] = Field(max_length=bounds.ROWS)


def packed(reading: Reading) -> PackedReading:
    return PackedReading(document=to_document(reading, endpoints=False), learned=_rows(reading.learned))


def unpacked(given: PackedReading) -> Reading:
    """Raises Invalid when its parts contradict each other."""
    numbers = {port.number for port in given.document.ports}
    if sum(len(rows.keys) for rows in given.learned) > _DIGITS * bounds.ROWS:
        raise Invalid(f"learned: more than {bounds.ROWS} addresses")
    learned: dict[int, int] = {}
    for rows in given.learned:
        if rows.port not in numbers:
            raise Invalid(f"learned: {rows.port} is the number of none of the document's ports")
        keys = struct.unpack(f">{len(rows.keys) // _DIGITS}Q", bytes.fromhex(rows.keys))
        learned |= dict.fromkeys(keys, rows.port)
    if any(key & GROUP_BIT or key > _HIGHEST for key in learned):
        raise Invalid("learned: an address of a group, or in no VLAN that there is")
    return from_document(given.document, learned)


def _rows(learned: Mapping[int, int]) -> list[LearnedRows]:
    found: dict[int, list[int]] = defaultdict(list)
    for key in sorted(learned):
        found[learned[key]].append(key)
    return [
        LearnedRows(port=port, keys=struct.pack(f">{len(keys)}Q", *keys).hex())
        for port, keys in found.items()
    ]
