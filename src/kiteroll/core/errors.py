"""Every error that is not a bug, split by what its reader can do about it.

    KiteRollError
    ├── Invalid               what was typed or sent is wrong: correct it and send again
    │   ├── BadAddress        a text that is no MAC address, or no fragment of one
    │   ├── ConfigError       a setting, named by its path
    │   └── InvalidParts      several things at once, each by its place: lines of a list, levels of rules
    ├── NotFound              nothing by that name here
    ├── Conflict              it exists already, or someone was faster
    ├── DeviceError           the switch's side
    │   ├── DeviceSilent      no answer in time
    │   ├── DeviceRefused     it answered: no
    │   └── DeviceLied        its answer cannot be decoded, or contradicts itself
    ├── TrackedElsewhere      the tracker of an area has the switch: nothing was written of it from here
    ├── TrackerAway           the service that tracks, of those on one database, does not answer
    ├── BusUnavailable        the message engine, or whoever should answer over it, is not there
    └── StorageUnavailable    the database is not there at the moment: try again later
        └── ServiceStopping   the service ends before something could be stored

A bug is none of these: it escapes and is logged with its traceback.
"""

from collections.abc import Sequence


class KiteRollError(Exception):
    """Root of all errors that Kite Roll raises on purpose. `str()` is a sentence for people."""

    code = "error"


class Invalid(KiteRollError):
    code = "invalid"


class BadAddress(Invalid):
    code = "bad_address"

    def __init__(self, text: str, why: str) -> None:
        super().__init__(text, why)
        self.text = text
        self.why = why

    def __str__(self) -> str:
        return f"{self.text!r} is not a MAC address: {self.why}"


class ConfigError(Invalid):
    """`problems` are lines `reason @ path`, all found in one pass."""

    code = "bad_config"

    def __init__(self, source: str, problems: tuple[str, ...]) -> None:
        super().__init__(source, problems)
        self.source = source
        self.problems = problems

    def __str__(self) -> str:
        return f"{self.source}: " + "; ".join(self.problems)


def sentence(problems: Sequence[tuple[str, str]]) -> str:
    """Pairs of where and what; where is empty for the whole."""
    return "; ".join(f"{where}: {what}" if where else what for where, what in problems)


class InvalidParts(Invalid):
    """`problems` are pairs of where and what, all found in one pass."""

    _SHOWN = 20

    def __init__(self, source: str, problems: Sequence[tuple[str, str]]) -> None:
        super().__init__(source, tuple(problems))
        self.source = source
        self.problems = tuple(problems)

    def __str__(self) -> str:
        shown = sentence(self.problems[: self._SHOWN])
        more = len(self.problems) - self._SHOWN
        return f"{self.source}: {shown}" + (f"; and {more} more" if more > 0 else "")


class NotFound(KiteRollError):
    code = "not_found"

    def __init__(self, kind: str, name: str, hint: str = "") -> None:
        super().__init__(kind, name, hint)
        self.kind = kind
        self.name = name
        self.hint = hint

    def __str__(self) -> str:
        return f"no {self.kind} {self.name!r}" + (f"; {self.hint}" if self.hint else "")


class Conflict(KiteRollError):
    code = "conflict"


class DeviceError(KiteRollError):
    """Something between us and one switch. `address` is 'host:port' as it was tried."""

    code = "device"

    def __init__(self, address: str, what: str) -> None:
        super().__init__(address, what)
        self.address = address
        self.what = what

    def __str__(self) -> str:
        return f"{self.address}: {self.what}"


class DeviceSilent(DeviceError):
    code = "device_silent"


class DeviceRefused(DeviceError):
    code = "device_refused"


class DeviceLied(DeviceError):
    code = "device_lied"


class BusUnavailable(KiteRollError):
    code = "bus_unavailable"


class TrackedElsewhere(KiteRollError):
    """A switch is tracked by somebody else: nothing was written of it from here."""

    code = "tracked_elsewhere"


class TrackerAway(KiteRollError):
    """The service that tracks, and makes changes, does not answer this one."""

    code = "tracker_away"


class StorageUnavailable(KiteRollError):
    code = "storage_unavailable"


class ServiceStopping(StorageUnavailable):
    """The service ends before something could be stored; it was never acknowledged."""

    code = "stopping"
