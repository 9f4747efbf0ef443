"""Settings: those that people change while the service runs, and those that trackers have from it."""

from sqlalchemy import JSON, Column, Double, Integer, SmallInteger, String, Table

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

tracking_rules = Table(
    "tracking_rules",
    metadata,
    Column("id", SmallInteger, primary_key=True, autoincrement=False),
    Column("hold_time_s", Double),
    Column("new_addresses_per_port", Integer, nullable=False),
    Column("endpoints", Integer, nullable=False),
)
"""One row: of the service that started last."""
