"""What the errors of the driver mean: which of them say that the database cannot be used at the moment."""

from sqlalchemy.exc import DBAPIError, InterfaceError, OperationalError

from kiteroll.core.errors import StorageUnavailable

# Numbers of server errors (MariaDB knowledge base, "error codes") and of the client library.
LOST = frozenset({2002, 2003, 2006, 2013, 2055, 1053, 1152, 1158, 1159, 1160, 1161, 1927, 4031})
"""No connection (any more), or none in time."""
CUT_OFF = frozenset({1047})
"""A server of a cluster (Galera) that is no part of one that works: another one may be."""
_REFUSED = frozenset({1040, 1041, 1044, 1045, 1049, 1129, 1130, 1135, 1142, 1143, 1203, 1226, 1227, 1370})
"""The server rejects us: too many connections, wrong password, no rights, no database."""
_FULL = frozenset({3, 28, 1021, 1114})
"""Disk full, table full."""
_FAULTY = frozenset({5, 1016, 1026, 1030, 1037, 1038, 1047, 1180, 1712, 1877})
"""It cannot read or write its files, has no memory, or is cut off from its cluster."""
_READ_ONLY = frozenset({1036, 1223, 1290, 1792, 1836})
"""It takes no writes: read-only, or locked as a whole."""
_SLOW = frozenset({1205, 1213, 1317, 1969, 3024})
"""Locks that are held too long, a deadlock, a statement that was ended."""
_TRY_AGAIN = frozenset({1205, 1213})


def is_passing(error: DBAPIError) -> bool:
    """Whether the same work is worth doing again at once: after a deadlock, or on another connection."""
    if not isinstance(error, OperationalError | InterfaceError):
        return False
    return error.connection_invalidated or _number(error) in LOST | _TRY_AGAIN


def translated(error: DBAPIError, work: str, url: str) -> Exception:
    """Our error for one of the driver; the same error when it shows a bug of ours."""
    number = _number(error)
    reason = str(error.orig.args[-1]) if error.orig is not None and error.orig.args else str(error)
    if number in LOST or error.connection_invalidated:
        return StorageUnavailable(f"the database at {url} does not answer: {reason}")
    for numbers, what in (
        (_REFUSED, "refuses"),
        (_FULL, "cannot write"),
        (_FAULTY, "has trouble of its own"),
        (_READ_ONLY, "takes no writes"),
        (_SLOW, f"was too slow for {work}"),
    ):
        if number in numbers:
            return StorageUnavailable(f"the database at {url} {what}: {reason}")
    return error


def _number(error: DBAPIError) -> int | None:
    args = error.orig.args if error.orig is not None else ()
    return args[0] if args and isinstance(args[0], int) else None
