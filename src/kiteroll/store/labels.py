"""Labels of addresses. They stay when an endpoint is forgotten, and may be set before it is first seen."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy import Connection, delete, select
from sqlalchemy.dialects.mysql import insert

from kiteroll.core.model.mac import MacAddress
from kiteroll.core.model.paging import PageAsk
from kiteroll.store.bulk import chunks
from kiteroll.store.paging import Key, Page, fetch_page
from kiteroll.store.predicates import given
from kiteroll.store.tables import address_label, endpoint

_BATCH = 1000


@dataclass(frozen=True, slots=True)
class Label:
    mac: MacAddress
    label: str = ""
    owner: str = ""
    notes: str = ""

    @property
    def says_nothing(self) -> bool:
        return not (self.label or self.owner or self.notes)


@dataclass(frozen=True, slots=True)
class LabelRow:
    label: Label
    seen: bool
    """Whether a switch has learned the address since it is recorded."""


_LABELS = select(address_label).where(given(address_label.c.mac, "macs"))


def labels_of(connection: Connection, macs: Sequence[MacAddress]) -> dict[MacAddress, Label]:
    """Of those that have one."""
    if not macs:
        return {}
    rows = connection.execute(_LABELS, {"macs": macs})
    return {row.mac: Label(row.mac, row.label, row.owner, row.notes) for row in rows}


def set_labels(connection: Connection, labels: Iterable[Label]) -> None:
    """Add, change, or, where it says nothing, remove."""
    for batch in chunks(labels, _BATCH):
        if gone := [one.mac for one in batch if one.says_nothing]:
            connection.execute(delete(address_label).where(address_label.c.mac.in_(gone)))
        kept = [
            {"mac": one.mac, "label": one.label, "owner": one.owner, "notes": one.notes}
            for one in batch
            if not one.says_nothing
        ]
        if kept:
            statement = insert(address_label)
            changed = {name: statement.inserted[name] for name in ("label", "owner", "notes")}
            connection.execute(statement.on_duplicate_key_update(changed), kept)


def labels_page(connection: Connection, ask: PageAsk, *, seen: bool | None = None) -> Page[LabelRow]:
    """By address. `seen`: only those of addresses that were, or were not yet, seen."""
    query = select(address_label, endpoint.c.mac.is_not(None).label("seen")).outerjoin(
        endpoint, endpoint.c.mac == address_label.c.mac
    )
    if seen is not None:
        query = query.where(endpoint.c.mac.is_not(None) if seen else endpoint.c.mac.is_(None))
    mac = Key(address_label.c.mac)
    sorts = {
        "mac": (mac,),
        "label": (Key(address_label.c.label), mac),
        "owner": (Key(address_label.c.owner), mac),
    }
    return fetch_page(
        connection,
        query,
        (mac,),
        lambda row: LabelRow(Label(row.mac, row.label, row.owner, row.notes), bool(row.seen)),
        ask,
        sorts,
    )


def all_labels(connection: Connection) -> list[Label]:
    """Without their notes."""
    rows = connection.execute(select(address_label.c.mac, address_label.c.label, address_label.c.owner))
    return [Label(mac, label, owner) for mac, label, owner in rows]


def changed(before: Mapping[MacAddress, Label], mac: MacAddress, values: Mapping[str, str]) -> Label:
    """A label with what is given replaced."""
    was = before.get(mac, Label(mac))
    return Label(mac, **{name: values.get(name, getattr(was, name)) for name in ("label", "owner", "notes")})
