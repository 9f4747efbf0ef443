"""Collectors at sites, and how far their readings have come."""

from sqlalchemy import JSON, BigInteger, Column, String, Table, Text

from kiteroll.store.tables.base import metadata
from kiteroll.store.types import Instant, exact_text

collector = Table(
    "collector",
    metadata,
    Column("name", exact_text(64), primary_key=True),
    Column("site", exact_text(64), nullable=False),
    Column("public_key", String(64), nullable=False),
    Column("added_at", Instant, nullable=False),
    Column("heard_at", Instant),
    Column("status", JSON),
)

collected_site = Table(
    "collected_site",
    metadata,
    Column("site", exact_text(64), primary_key=True),
    # Of the last message: in the stream of the site, and in that of the centre.
    Column("number", BigInteger),
    Column("position", BigInteger),
    Column("dropped", BigInteger, nullable=False, server_default="0"),
    Column("dropped_at", Instant),
    Column("refused", BigInteger, nullable=False, server_default="0"),
    Column("refused_at", Instant),
    Column("refusal", Text),
)
