"""Links to devices, and queries that people keep."""

from sqlalchemy import Boolean, Column, Integer, String, Table, Text, UniqueConstraint

from kiteroll.store.tables.base import metadata
from kiteroll.store.types import Instant, exact_text

device_link = Table(
    "device_link",
    metadata,
    Column("name", exact_text(64), primary_key=True),
    Column("of_what", String(16), nullable=False),
    Column("template", Text, nullable=False),
)

saved_query = Table(
    "saved_query",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("owner", exact_text(64), nullable=False),
    Column("name", exact_text(64), nullable=False),
    Column("path", Text, nullable=False),
    Column("shared", Boolean, nullable=False),
    Column("saved_at", Instant, nullable=False),
    UniqueConstraint("owner", "name", name="saved_query_name"),
)
