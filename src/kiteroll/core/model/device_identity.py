"""Whether two readings are of one device."""

from kiteroll.core.model.mac import MacAddress


def is_another_device(before: MacAddress | None, now: MacAddress | None) -> bool:
    """By the bridge addresses they report (dot1dBaseBridgeAddress); not known to be where one has none."""
    return None not in (before, now) and before != now
