"""Settings that people change while the service runs."""

from sqlalchemy import JSON, Column, String, Table

from kiteroll.store.tables.base import metadata
from kiteroll.store.types import Instant

runtime_setting = Table(
    "runtime_setting",
    metadata,
    Column("name", String(64), primary_key=True),
    Column("value", JSON, nullable=False),
    Column("set_at", Instant, nullable=False),
    Column("set_by", String(64), nullable=False),
)
