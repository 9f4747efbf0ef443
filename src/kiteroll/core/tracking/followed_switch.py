"""Keeps a switch as another tracker has it: from the changes that one reports, or from its records."""

from collections.abc import Iterable, Mapping
from datetime import datetime, timedelta

from kiteroll.core.model.changes import (
    Appeared,
    Awaited,
    Change,
    Gone,
    Moved,
    Quiet,
    Restarted,
    Resumed,
    Returned,
)
from kiteroll.core.model.reading import key_of, mac_of, vlan_of
from kiteroll.core.model.stay import Place
from kiteroll.core.tracking.checkpoint import SwitchCheckpoint
from kiteroll.core.tracking.switch_state import RECENT, AbsentStay, SwitchState


def follow(
    state: SwitchState,
    changes: Iterable[Change],
    checkpoint: SwitchCheckpoint,
    names: Mapping[int, str] | None,
    ageing: timedelta | None,
) -> None:
    """Take over what one reading changed, as reported by whoever applied it to the same state. `names`: of
    ports, by number, where they are others than before; `ageing`: as the reading had it."""
    complete = checkpoint.last_at == checkpoint.last_complete_at
    if names is not None:
        state.renumber(names, whole=complete)
    state.lasting_ageing(ageing)
    if checkpoint.last_at is not None:
        state.forget_recent(checkpoint.last_at - RECENT)
    first = state.checkpoint.last_at is None
    numbers = {name: number for number, name in state.names.items()}
    for change in changes:
        match change:
            case Restarted():
                continue
            case Appeared() | Moved() | Returned() | Resumed():
                key = key_of(change.mac, change.place.vlan)
                state.missing.pop(key, None)
                state.table[key] = numbers[change.place.port]
                state.stays[key] = change.stay
                if not first:
                    state.learned(key, change.at)
                if not complete:
                    state.fresh[key] = change.at
            case Quiet() | Awaited():
                key = key_of(change.mac, change.place.vlan)
                _remove(state, key)
                quiet_at = change.at if isinstance(change, Quiet) else None
                state.missing[key] = AbsentStay(change.stay, change.place.port, change.last_seen_at, quiet_at)
            case Gone():
                key = key_of(change.mac, change.place.vlan)
                _remove(state, key)
                state.missing.pop(key, None)
    if complete:
        state.fresh.clear()
    state.checkpoint = checkpoint


def _remove(state: SwitchState, key: int) -> None:
    state.table.pop(key, None)
    state.stays.pop(key, None)
    state.fresh.pop(key, None)


def changes_between(
    switch: str, before: SwitchState, after: SwitchState, at: datetime
) -> tuple[Appeared | Moved, ...]:
    """What is new in the table, or at another port, where no report said how that came about: as if one
    reading at `at` had shown it."""
    found: list[Appeared | Moved] = []
    for key, number in sorted(after.table.items()):
        place = Place(switch, after.names[number], vlan_of(key))
        origin = before.names[before.table[key]] if key in before.table else None
        if origin is None:
            found.append(Appeared(at=at, mac=mac_of(key), place=place, stay=after.stays[key]))
        elif origin != place.port:
            found.append(
                Moved(
                    at=at,
                    mac=mac_of(key),
                    place=place,
                    stay=after.stays[key],
                    origin=Place(switch, origin, place.vlan),
                    ended=before.stays[key],
                    last_seen_at=at,
                )
            )
    return tuple(found)
