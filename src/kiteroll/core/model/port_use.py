"""How a port is used at the moment: the one decision behind drawings, lists and exports."""

from enum import StrEnum

from kiteroll.core.model.reading import Oper


class PortUse(StrEnum):
    UPLINK = "uplink"
    IN_USE = "in use"
    """An address is present."""
    QUIET = "quiet"
    """Up, and its addresses are quiet."""
    SILENT = "silent"
    """Up, and no address is learned."""
    SHUT = "shut"
    """Closed by whoever manages the switch (ifAdminStatus is not up)."""
    DOWN = "down"
    IDLE = "idle"
    """No address is learned, and it is not known to be up, or its switch shows nobody at all."""


def port_use(*, uplink: bool, shut: bool, oper: Oper, present: int, quiet: int, silent: bool) -> PortUse:
    """`present` and `quiet` count addresses; `silent` as the rule of silent ports decides it."""
    if shut:
        return PortUse.SHUT
    if uplink:
        return PortUse.UPLINK
    if oper is Oper.DOWN:
        return PortUse.DOWN
    if present:
        return PortUse.IN_USE
    if quiet:
        return PortUse.QUIET
    return PortUse.SILENT if silent else PortUse.IDLE
