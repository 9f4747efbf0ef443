"""Why a port counts as not used as it could be, in words."""

from kiteroll.core.model.poor_use import OddLink, Unused

SILENT = "up, no address"
_MEGABIT = 1_000_000


def unused_text(one: Unused) -> str:
    text = "no link, and nobody since" if one.ever_used else "no link, and nobody was ever seen"
    if one.unread_until is not None:
        text += f"; it was not read for a while before {one.unread_until:%Y-%m-%d %H:%MZ}"
    return text


def odd_link_text(one: OddLink, switch: str) -> str:
    link = one.link
    speed = f"{link.speed_bps // _MEGABIT} Mb/s" if link.speed_bps else "unknown speed"
    beside = f"; most ports of {switch} run at {one.usual_bps // _MEGABIT} Mb/s" if one.usual_bps else ""
    return f"{speed}, {link.duplex or 'unknown'} duplex{beside}"
