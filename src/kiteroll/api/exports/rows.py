"""The rows of a list, as the writers of files are given them, and what those have in common."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import IO, Any

from pydantic import BaseModel

CHUNK = 64 * 1024
"""Octets of a file that are worth a write."""
CONTROL = {code: None for code in range(32) if code not in (9, 10, 13)} | {0xFFFE: None, 0xFFFF: None}
"""Characters that neither XML 1.0 (section 2.2) nor a sheet can hold."""


@dataclass(frozen=True, slots=True)
class Rows:
    """The rows of a list. Of a large one `plain` holds the values of each in the order of the model's fields,
    as JSON has them: no model needs to be made half a million times."""

    model: type[BaseModel]
    models: Iterable[BaseModel] = ()
    plain: Iterator[tuple[Any, ...]] | None = None

    def as_models(self) -> Iterable[BaseModel]:
        if self.plain is None:
            return self.models
        names = list(self.model.model_fields)
        return (self.model.model_validate(dict(zip(names, row, strict=True))) for row in self.plain)


def from_start(file: IO[bytes]) -> Iterator[bytes]:
    file.seek(0)
    while part := file.read(CHUNK):
        yield part
