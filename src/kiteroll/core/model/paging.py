"""Which page of a list is asked for."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class PageAsk:
    cursor: str | None = None
    """`next` of the page before; None: the first."""
    limit: int = 100
    """Rows at most."""
    sort: str | None = None
    """A field, with - before it for descending; None: the list's own order."""

    @property
    def field(self) -> str:
        return (self.sort or "").removeprefix("-")

    @property
    def descending(self) -> bool:
        return (self.sort or "").startswith("-")
