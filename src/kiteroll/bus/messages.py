"""What goes over the bus: JSON of these models, compressed."""

import zlib
from datetime import timedelta
from typing import Annotated, Any, Literal, TypeVar

from pydantic import BaseModel, Field, ValidationError

from kiteroll.bus.packed import PackedReading, packed, unpacked
from kiteroll.collect.poller import PollResult
from kiteroll.core.errors import DeviceLied, DeviceRefused, DeviceSilent, Invalid, KiteRollError
from kiteroll.core.model import bounds
from kiteroll.core.model.reading import Reading
from kiteroll.schemas.base import Instant, RequestModel, ResponseModel
from kiteroll.schemas.reading_convert import from_document, to_document
from kiteroll.schemas.reading_document import ReadingDocument

M = TypeVar("M", bound=BaseModel)
_MAX_OCTETS = 256 << 20
"""Of one message when it is expanded: a reading of 200,000 rows has a tenth of that."""
Name = Annotated[str, Field(min_length=1, max_length=bounds.SWITCH_NAME)]
_FAILURES: dict[str, type[KiteRollError]] = {
    "silent": DeviceSilent,
    "refused": DeviceRefused,
    "lied": DeviceLied,
    "failed": KiteRollError,
}


class Failure(ResponseModel):
    """Why there is no reading."""

    kind: Literal["silent", "refused", "lied", "failed"]
    address: Annotated[str, Field(max_length=255)] = ""
    what: Annotated[str, Field(max_length=4000)]


class Read(ResponseModel):
    """One try at reading a switch."""

    switch: int
    name: Name
    started_at: Instant
    duration_s: float = Field(ge=0, le=86400)
    next_due_at: Instant | None = None
    packed: PackedReading | None = None
    reading: ReadingDocument | None = None
    """In place of it, from a collector or for a centre of an older version."""
    failure: Failure | None = None


class Sent(ResponseModel):
    """What is in the stream of a site: a reading, or what time it was there."""

    read: Read | None = None
    noted_at: Instant | None = None


class Status(ResponseModel):
    """How a collector is."""

    collector: Name
    version: Annotated[str, Field(max_length=64)]
    started_at: Instant
    reads: bool
    switches: int = Field(ge=0, le=1_000_000)
    clock_ahead_s: float = Field(ge=-1e10, le=1e10)
    waiting: int = Field(ge=0, le=bounds.COUNTER)
    problem: Annotated[str, Field(max_length=1000)] = ""


class Heard(ResponseModel):
    """The centre's answer to it."""

    now: Instant
    targets: str
    """Which ones there are: others than a collector has are fetched."""
    takes_packed: bool = False
    """Whether readings may come packed."""
    refused: str = ""
    """Why the centre wants nothing of it; empty: it does."""


class AskForTargets(RequestModel):
    collector: Name


class AssignedSwitch(ResponseModel):
    switch: int
    name: Name
    source: Literal["snmp", "linux"]
    host: str
    port: int
    credential: dict[str, Any] = Field(repr=False)
    interval_s: int
    timeout_s: float | None = None
    tries: int | None = None


class Targets(ResponseModel):
    """What a collector is to read; sealed on the way."""

    targets: str
    made_at: Instant
    site: str
    at_once: int | None = None
    """Switches of the site that are read at the same time; None: as the collector is set up."""
    switches: list[AssignedSwitch]


class Asked(ResponseModel):
    """Read this switch now."""

    id: Annotated[str, Field(max_length=64)]
    switch: int


class Answer(ResponseModel):
    """It was read, and its reading is on its way; or it was not."""

    id: Annotated[str, Field(max_length=64)]
    collector: Name
    taken_at: Instant | None = None
    problem: Literal["", "conflict", "not_found", "error"] = ""
    what: Annotated[str, Field(max_length=1000)] = ""


def encode(message: BaseModel) -> bytes:
    return zlib.compress(message.model_dump_json().encode(), 1)


def decode(kind: type[M], data: bytes) -> M:
    """Raises Invalid."""
    try:
        expanding = zlib.decompressobj()
        text = expanding.decompress(data, _MAX_OCTETS)
        if expanding.unconsumed_tail:
            raise Invalid(f"a message expands to more than {_MAX_OCTETS >> 20} MiB")
        return kind.model_validate_json(text)
    except (zlib.error, ValidationError) as wrong:
        raise Invalid(f"a message is not understood: {str(wrong)[:500]}") from wrong


def read_of(result: PollResult, *, as_packed: bool = True) -> Read:
    outcome = result.outcome
    failure = None if isinstance(outcome, Reading) else _failure_of(outcome)
    read = outcome if isinstance(outcome, Reading) else None
    return Read(
        switch=result.switch,
        name=result.name,
        started_at=result.started_at,
        duration_s=result.duration.total_seconds(),
        next_due_at=result.next_due_at,
        packed=packed(read) if read is not None and as_packed else None,
        reading=to_document(read) if read is not None and not as_packed else None,
        failure=failure,
    )


def result_of(read: Read) -> PollResult:
    """Raises Invalid for a reading that contradicts itself, or is none."""
    outcome: Reading | KiteRollError
    if read.packed is not None or read.reading is not None:
        outcome = _reading_of(read)
        if outcome.switch != read.name or outcome.taken_at != read.started_at:
            raise Invalid(f"the reading in a message about {read.name} is of another switch or instant")
    elif read.failure is not None:
        outcome = _error_of(read.failure)
    else:
        raise Invalid(f"a message about {read.name} has neither a reading nor a reason why there is none")
    return PollResult(
        switch=read.switch,
        name=read.name,
        started_at=read.started_at,
        duration=timedelta(seconds=read.duration_s),
        outcome=outcome,
        next_due_at=read.next_due_at,
    )


def _reading_of(read: Read) -> Reading:
    if read.packed is not None:
        return unpacked(read.packed)
    assert read.reading is not None
    return from_document(read.reading)


def _failure_of(error: KiteRollError) -> Failure:
    kind = next(name for name, of in _FAILURES.items() if isinstance(error, of))
    if isinstance(error, DeviceSilent | DeviceRefused | DeviceLied):
        return Failure.model_validate(
            {"kind": kind, "address": error.address[:255], "what": error.what[:4000]}
        )
    return Failure(kind="failed", what=str(error)[:4000])


def _error_of(failure: Failure) -> KiteRollError:
    match failure.kind:
        case "silent":
            return DeviceSilent(failure.address, failure.what)
        case "refused":
            return DeviceRefused(failure.address, failure.what)
        case "lied":
            return DeviceLied(failure.address, failure.what)
        case _:
            return KiteRollError(failure.what)
