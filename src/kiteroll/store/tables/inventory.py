"""The inventory, and what operators set up around it."""

from sqlalchemy import (
    JSON,
    Boolean,
    Column,
    ForeignKey,
    Integer,
    LargeBinary,
    SmallInteger,
    String,
    Table,
    false,
)

from kiteroll.store.tables.base import metadata
from kiteroll.store.types import Instant, exact_text

credential = Table(
    "credential",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", exact_text(64), nullable=False, unique=True),
    Column("kind", String(64), nullable=False),
    Column("sealed", LargeBinary(4096), nullable=False),
    Column("added_at", Instant, nullable=False),
)


site = Table(
    "site",
    metadata,
    Column("name", exact_text(64), primary_key=True),
    # Switches of the site that are read at the same time; null: no limit of its own.
    Column("concurrency", SmallInteger),
    # Sites of one area share layer 2; empty: the area of all sites that name none.
    Column("area", exact_text(64), nullable=False, server_default=""),
)


on_demand_round = Table(
    "on_demand_round",
    metadata,
    # A round that somebody asked for.
    Column("id", Integer, primary_key=True),
    Column("began_at", Instant, nullable=False),
    Column("ended_at", Instant),
    Column("state", String(12), nullable=False),
    Column("wanted", JSON, nullable=False),
)


round_try = Table(
    "round_try",
    metadata,
    # A switch that was tried in a round, and whether it was read completely.
    Column("round_id", Integer, ForeignKey("on_demand_round.id", ondelete="CASCADE"), primary_key=True),
    Column("switch", exact_text(64), primary_key=True),
    Column("complete", Boolean, nullable=False),
)


csv_mapping = Table(
    "csv_mapping",
    metadata,
    # How a kind of CSV file is to be understood, as its operator wrote it down once.
    Column("name", exact_text(64), primary_key=True),
    Column("mapping", JSON, nullable=False),
)


maker_prefix = Table(
    "maker_prefix",
    metadata,
    # 6 to 11 hex digits: what addresses of the maker begin with.
    Column("prefix", exact_text(12), primary_key=True),
    Column("maker", String(128), nullable=False),
)


group_setting = Table(
    "group_setting",
    metadata,
    Column("name", exact_text(64), primary_key=True),
    Column("hold_time_s", Integer),
    Column("shares_tables", Boolean, nullable=False, server_default=false()),
)


shared_address = Table(
    "shared_address",
    metadata,
    # 6 to 12 hex digits of addresses that several devices answer with by design.
    Column("prefix", exact_text(12), primary_key=True),
    Column("why", String(255), nullable=False),
)
