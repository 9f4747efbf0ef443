"""Stays in plain values, in the order of the fields of `api.Stay`: half a million rows in seconds."""

from collections.abc import Callable, Iterable, Iterator
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Row

from kiteroll.api.presenters.endpoints import place_fields_of_role
from kiteroll.app.topology_view import NetworkView
from kiteroll.core.model.stay import Ending, Life
from kiteroll.core.topology.past_roles import PastRoles
from kiteroll.schemas import api
from kiteroll.wording.stays import ending_text

_FIELDS = tuple(api.Stay.model_fields)
_OF_ROW = (
    *("switch", "port", "port_alias", "vlan", "vlan_name", "life", "began_at", "seen_at", "quiet_at"),
    *("ended_at", "ending", "read_at", "role", "leads_to", "leads_to_count", "mac"),
)
if _FIELDS != _OF_ROW:
    raise AssertionError(f"stays have other fields than their rows here: {_FIELDS}")


def stay_rows(view: NetworkView, past: PastRoles, rows: Iterable[Row[Any]]) -> Iterator[tuple[Any, ...]]:
    endings = {one.name: ending_text(one) for one in Ending}
    roles: dict[tuple[int, bool], tuple[str, list[str], int]] = {}
    instant = _instants()
    for values in rows:
        row = tuple(values)
        mac, vlan, ending, port_id, switch, port, alias, vlan_name = row[:8]
        began, resumed, last_seen, quiet, ended, read = row[8:]
        over = ended is not None
        if (role := roles.get((port_id, over))) is None:
            found = view.topology.role((switch, port))
            if over:
                found = past.role((switch, port), _utc(began), _utc(ended), found)
            role = place_fields_of_role(found)
            if not (over and past.knows((switch, port))):
                roles[port_id, over] = role  # the same for all its stays
        digits = f"{mac:012x}"
        yield (
            switch,
            port,
            alias,
            vlan or None,
            vlan_name or "",
            (Life.GONE if ended else Life.QUIET if last_seen else Life.PRESENT).value,
            instant(began),
            instant(last_seen or (max(resumed, read) if read else resumed)),
            quiet and instant(quiet),
            ended and instant(ended),
            ending and endings[ending],
            read and instant(read),
            *role,
            f"{digits[:2]}:{digits[2:4]}:{digits[4:6]}:{digits[6:8]}:{digits[8:10]}:{digits[10:]}",
        )


def _utc(text: str) -> datetime:
    return datetime.fromisoformat(text).replace(tzinfo=UTC)


def _instants() -> Callable[[str], str]:
    """RFC 3339 of what the server calls an instant; many rows share theirs."""
    known: dict[str, str] = {}

    def instant(text: str) -> str:
        short = known.get(text)
        if short is None:
            if len(known) > 100_000:
                known.clear()
            short = known[text] = f"{text[:10]}T{text[11:].removesuffix('.000000')}Z"
        return short

    return instant
