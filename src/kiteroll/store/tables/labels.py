"""What operators say of addresses, also of those that no switch has learned yet."""

from sqlalchemy import Column, Index, String, Table, Text

from kiteroll.store.tables.base import metadata
from kiteroll.store.types import Mac

address_label = Table(
    "address_label",
    metadata,
    Column("mac", Mac, primary_key=True, autoincrement=False),
    Column("label", String(128), nullable=False),
    Column("owner", String(128), nullable=False),
    Column("notes", Text, nullable=False),
    Index("address_label_label", "label"),
    Index("address_label_owner", "owner"),
)
