"""The live stream as typed events: its lines, where it is, and when to connect again. No I/O."""

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from pydantic import TypeAdapter, ValidationError

from kiteroll.schemas.stream import StreamEvent

_EVENT: TypeAdapter[StreamEvent] = TypeAdapter(StreamEvent)
FIRST_PAUSE_S, LONGEST_PAUSE_S = 1.0, 15.0


@dataclass(slots=True)
class StreamReader:
    """Of one listener, over all its connections."""

    params: dict[str, Any]
    last_id: str = ""
    failures: int = 0
    """Connections in a row that brought nothing."""
    _id: str = ""
    _data: list[str] = field(default_factory=list)

    def headers(self) -> dict[str, str]:
        return {"Accept": "text/event-stream", **({"Last-Event-ID": self.last_id} if self.last_id else {})}

    def feed(self, line: str) -> Iterator[StreamEvent]:
        """One line; the event it completes, if any. Events of a newer service are passed over."""
        name, _, value = line.partition(":")
        value = value.removeprefix(" ")
        if name == "id":
            self._id = value
        elif name == "data":
            self._data.append(value)
        elif line == "":
            text, self._data = "\n".join(self._data), []
            self.last_id = self._id or self.last_id
            if not text:
                return
            self.failures = 0
            try:
                yield _EVENT.validate_json(text)
            except ValidationError:
                return

    def pause_s(self) -> float:
        """How long to wait before connecting again."""
        self.failures += 1
        self._data = []
        return float(min(LONGEST_PAUSE_S, FIRST_PAUSE_S * 2 ** (self.failures - 1)))
