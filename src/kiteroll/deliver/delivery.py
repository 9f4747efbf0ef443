"""What is delivered: one message, or several at once."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

TIMEOUT_S = 10.0
"""For connecting, and for each answer."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Message:
    number: int
    """Of the outbox; the same one when it is sent again."""
    at: datetime
    severity: str
    """note, warning or serious."""
    line: str
    """All of it in one line."""
    text: str
    """The whole, in several."""
    content: Mapping[str, Any]
    """For programs."""
    over: bool = False
    stands_for: int = 1
    """How many it says something of: more than one where it only counts them."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Delivery:
    id: str
    service: str
    """Host name of the machine it comes from."""
    at: datetime
    messages: tuple[Message, ...]
    possibly_repeated: bool = False
    """Whether some of it may have arrived before."""

    @property
    def subject(self) -> str:
        """One line for all of it."""
        first = self.messages[0]
        if len(self.messages) == 1:
            subject = first.line
        else:
            serious = sum(one.severity == "serious" and not one.over for one in self.messages)
            count = sum(one.stands_for for one in self.messages)
            subject = f"{count:,} messages" + (f", {serious} of them serious" if serious else "")
        return subject + (" (possibly sent before)" if self.possibly_repeated else "")

    def document(self) -> dict[str, Any]:
        """As webhooks and folders get it."""
        return {
            "version": 1,
            "delivery": self.id,
            "service": self.service,
            "sent_at": self.at.isoformat(),
            "possibly_repeated": self.possibly_repeated,
            "messages": [{"number": one.number, "text": one.line, **one.content} for one in self.messages],
        }


class NotDelivered(Exception):
    """It did not arrive, or nothing says that it did; the text says why, and what to do about it."""
