"""What an exit code means; the same for every command, and in --help."""

from enum import IntEnum

from kiteroll.core.errors import Conflict, DeviceError, Invalid, KiteRollError, NotFound


class Exit(IntEnum):
    OK = 0
    NOTHING = 1
    """Nothing found: no match, no such switch."""
    USAGE = 2
    """Usage error or invalid input."""
    UNREACHABLE = 3
    """The service, or the switch, does not answer."""
    PARTIAL = 4
    """A reading lacks rows."""
    REFUSED = 5
    """Not signed in, not allowed, name taken, in use."""
    FAULT = 6
    """The service failed, or cannot start."""
    BROKEN_RULE = 7
    """A roll call found a broken rule, or a rehearsal one that would have been."""
    DIFFERS = 8
    """The rules are not what a file says, or an audit log is not as it was written."""


MEANING = "\n".join(
    (
        "exit codes:",
        "  0  success",
        "  1  not found: no match, no such switch",
        "  2  usage error or invalid input",
        "  3  the service, or the switch, does not answer",
        "  4  the reading is partial",
        "  5  refused: not signed in, not allowed, name taken, in use",
        "  6  the service failed, or cannot start",
        "  7  a rule of a port is broken, or would have been",
        "  8  the rules differ from the file, or an audit log from what was written",
    )
)

_BY_STATUS = {401: Exit.REFUSED, 403: Exit.REFUSED, 404: Exit.NOTHING, 409: Exit.REFUSED, 422: Exit.USAGE}
_UNREACHABLE_STATUS = frozenset({502, 503, 504})


def exit_of(error: KiteRollError) -> Exit:
    from kiteroll.client import ServiceError, ServiceUnreachable  # only now: a success needs none of it

    match error:
        case ServiceUnreachable() | DeviceError():
            return Exit.UNREACHABLE
        case ServiceError():
            if error.status in _UNREACHABLE_STATUS:
                return Exit.UNREACHABLE
            return _BY_STATUS.get(error.status, Exit.FAULT)
        case NotFound():
            return Exit.NOTHING
        case Invalid():
            return Exit.USAGE
        case Conflict():
            return Exit.REFUSED
        case _:
            return Exit.FAULT
