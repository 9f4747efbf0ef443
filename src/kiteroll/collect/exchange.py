"""Exchanges with an SNMP agent as state objects that say what to request next, without any I/O.

A driver sends each `SnmpRequest`, and feeds back the answer or the silence, until it gets an `ExchangeEnd`.
Nothing here waits, sends or knows the time, so every odd agent is a list of replies in a test.
"""

from abc import ABC, abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

from kiteroll.collect.limits import Limits
from kiteroll.snmp import ber
from kiteroll.snmp.ber import Oid
from kiteroll.snmp.message import ErrorStatus, Pdu, PduType, RowReader, Value


class SnmpRequest(NamedTuple):
    kind: PduType
    oids: tuple[bytes, ...]
    repetitions: int
    timeout_s: float
    values: tuple[bytes, ...] = ()
    """Of a SET: the whole encoded value of each."""


@dataclass(frozen=True, slots=True)
class ExchangeEnd:
    why: str = ""
    """Why it ended before everything was read; empty when everything was."""
    silent: bool = False
    """True when it ended because no answer came."""

    @property
    def complete(self) -> bool:
        return not self.why


class Exchange(ABC):
    """One exchange with one agent: `next`, then `on_reply` or `on_silence`, and again."""

    def __init__(self, version: int, limits: Limits) -> None:
        self.version = version
        self.limits = limits
        self._attempt = 1
        self.ended: ExchangeEnd | None = None

    def next(self) -> SnmpRequest | ExchangeEnd:
        return self.ended or self._request(self.limits.timeout_of_try(self._attempt))

    def on_reply(self, pdu: Pdu) -> None:
        """Handle an answer to the last `SnmpRequest`."""
        self._attempt = 1
        try:
            if pdu.error_status != ErrorStatus.NO_ERROR:
                self._on_error(pdu)
            else:
                self._on_values(pdu)
        except ber.Malformed as wrong:
            self.end(f"the agent's answer cannot be used: {wrong}")

    def on_silence(self, note: str = "") -> None:
        """No answer came in time. `note`: what was seen instead, for example on the wire."""
        if self._attempt >= self.limits.tries:
            tried = f"no answer to {self.limits.tries} tries, the first of {self.limits.timeout_s:g} s"
            self.end(f"{tried}; {note}" if note else tried, silent=True)
        self._attempt += 1
        self._request_less()

    def end(self, why: str = "", *, silent: bool = False) -> None:
        if self.ended is None:
            self.ended = ExchangeEnd(why, silent)

    def row_reader(self) -> RowReader | None:
        """Reads answers to the last `SnmpRequest` as rows of a table, where they are asked for."""
        return None

    @abstractmethod
    def _request(self, timeout_s: float) -> SnmpRequest: ...

    @abstractmethod
    def _on_values(self, pdu: Pdu) -> None: ...

    @abstractmethod
    def _on_error(self, pdu: Pdu) -> None: ...

    def _request_less(self) -> None:
        """Request less next time: a large answer may be what got lost."""
        return


class ObjectSet(Exchange):
    """Sets objects, all of them or none (RFC 3416 section 4.2.5). Asked once: what the driver sends again
    within the one try is the same request. `answered`: the agent confirmed it."""

    def __init__(self, objects: Sequence[tuple[Oid, bytes]], version: int, limits: Limits) -> None:
        super().__init__(version, limits)
        self._objects = [(ber.encode_oid(name), value) for name, value in objects]
        self.answered = False
        self.refused = ""
        """What the agent refused with; empty where it did not."""

    def on_silence(self, note: str = "") -> None:
        self.end(f"no answer within {self.limits.timeout_s:g} s" + (f"; {note}" if note else ""), silent=True)

    def _request(self, timeout_s: float) -> SnmpRequest:
        oids = tuple(oid for oid, _ in self._objects)
        return SnmpRequest(PduType.SET, oids, 0, timeout_s, tuple(value for _, value in self._objects))

    def _on_values(self, pdu: Pdu) -> None:
        self.answered = True
        self.end()

    def _on_error(self, pdu: Pdu) -> None:
        self.refused = error_name(pdu.error_status)
        self.end(f"the agent answered {self.refused}")


class ScalarGet(Exchange):
    """Gets single objects, those that the agent has. `values` holds what it answered."""

    def __init__(self, objects: Sequence[Oid], version: int, limits: Limits) -> None:
        super().__init__(version, limits)
        self._names = {ber.encode_oid(name): name for name in objects}
        self._open = list(self._names)
        self._batch = min(len(self._open), limits.bindings)
        self.values: dict[Oid, Value] = {}
        if not self._open:
            self.end()

    def _request(self, timeout_s: float) -> SnmpRequest:
        return SnmpRequest(PduType.GET, tuple(self._open[: self._batch]), 0, timeout_s)

    def _on_values(self, pdu: Pdu) -> None:
        asked = set(self._open[: self._batch])
        for oid, (tag, content) in pdu.bindings:
            if oid in asked and tag not in ber.EXCEPTIONS:
                self.values[self._names[oid]] = (tag, content)
        self._drop(self._batch)

    def _on_error(self, pdu: Pdu) -> None:
        named = 1 <= pdu.error_index <= min(self._batch, len(self._open))
        if pdu.error_status == ErrorStatus.TOO_BIG and self._batch > 1:
            self._batch = max(1, self._batch // 2)
        elif named:
            # v1 refuses the whole request for one object it lacks (RFC 1157 4.1.2): ask without it.
            del self._open[pdu.error_index - 1]
            self._drop(0)
        elif self._batch > 1:
            self._batch = 1
        else:
            self._drop(1)

    def _drop(self, count: int) -> None:
        del self._open[:count]
        if not self._open:
            self.end()

    def _request_less(self) -> None:
        self._batch = max(1, self._batch // 2)


def error_name(status: int) -> str:
    try:
        return f"error {ErrorStatus(status).name.lower().replace('_', ' ')}"
    except ValueError:
        return f"error number {status}"
