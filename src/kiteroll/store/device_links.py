"""Links to devices, by name."""

from sqlalchemy import Connection, delete, select
from sqlalchemy.dialects.mysql import insert

from kiteroll.core.model.device_links import DeviceLink
from kiteroll.store.tables import device_link


def all_links(connection: Connection) -> dict[str, DeviceLink]:
    rows = connection.execute(select(device_link).order_by(device_link.c.name))
    return {row.name: DeviceLink(row.name, row.of_what, row.template) for row in rows}


def save_link(connection: Connection, link: DeviceLink) -> None:
    """Add it, or replace the one of that name."""
    values = {"of_what": link.of, "template": link.template}
    statement = insert(device_link).values(name=link.name, **values)
    connection.execute(statement.on_duplicate_key_update(values))


def remove_link(connection: Connection, name: str) -> bool:
    """Whether it was there."""
    return connection.execute(delete(device_link).where(device_link.c.name == name)).rowcount == 1
