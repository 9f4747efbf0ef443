"""What is odd about a switch, in sentences an operator can act on."""

from datetime import datetime, timedelta
from typing import assert_never

from kiteroll.core.tracking.switch_health import SwitchWarning, Warned
from kiteroll.wording.spans import counted, joined, span


def empty_table_text(ports_up: int) -> str:
    return (
        f"its table is empty while {counted(ports_up, 'port is', 'ports are')} up: it may offer its table one VLAN at "
        "a time (--view), or keep it from this credential"
    )


def warning_text(warning: SwitchWarning, now: datetime) -> str:
    one = warning.condition
    match warning.what:
        case Warned.TABLE_EMPTY:
            return empty_table_text(one.ports_up)
        case Warned.TABLE_NEARLY_FULL:
            return (
                f"its table is nearly full: {one.present} of {one.table_size} addresses. Once it is full, frames "
                "to further addresses flood every port: look for a loop or an attack, or shorten the ageing time"
            )
        case Warned.DISCARDS_RISING:
            ago = span(now - one.discards_rose_at) if one.discards_rose_at else "some time"
            return (
                f"it cannot learn addresses for lack of room, and the count rises: {one.learning_discards} "
                f"since it started, last {ago} ago"
            )
        case Warned.DISCARDS_BEFORE:
            return (
                f"it could not learn {one.learning_discards} addresses since it started because its table was "
                "full; the count is not rising now"
            )
        case Warned.CLOCK_OFF:
            drift = one.drift or timedelta(0)
            way = "ahead of" if drift > timedelta(0) else "behind"
            return (
                f"its uptime ran {span(abs(drift))} {way} our clock between its last two readings: one of the "
                "clocks is off, and a restart may be missed or invented. Check the time service of both"
            )
        case Warned.AGEING_TOO_SHORT:
            ageing = one.ageing or timedelta(0)
            return (
                f"it is read every {span(one.interval)} but forgets addresses after {span(ageing)}: endpoints "
                "that talk seldom are missed. Read it more often"
            )
        case Warned.SAME_BRIDGE_ADDRESS:
            return (
                f"it has the same bridge address as {joined(warning.others)}: the same switch may be in the "
                "inventory twice"
            )
        case Warned.SAME_ADDRESS:
            return (
                f"it is asked at the same address as {joined(warning.others)}: right for two contexts of one agent; "
                "otherwise remove one of them"
            )
        case Warned.LATE:
            age = span(now - one.read_at) if one.read_at else "?"
            return f"its last complete reading is {age} old: what is shown of it may be out of date"
        case Warned.OFF:
            age = span(now - one.read_at) if one.read_at else "?"
            return f"it is turned off: what is shown of it is as of its last complete reading, {age} ago"
        case _:
            assert_never(warning.what)
