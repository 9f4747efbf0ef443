"""Answers that are kept for calls which are sent twice."""

from sqlalchemy import Column, Index, Integer, String, Table
from sqlalchemy.dialects.mysql import MEDIUMBLOB

from kiteroll.store.tables.base import metadata
from kiteroll.store.types import Instant, exact_text

kept_answer = Table(
    "kept_answer",
    metadata,
    Column("key_digest", exact_text(64), primary_key=True),
    Column("request_digest", exact_text(64), nullable=False),
    Column("began_at", Instant, nullable=False),
    Column("status", Integer),
    Column("location", String(1024), nullable=False, server_default=""),
    Column("media_type", String(128), nullable=False, server_default=""),
    Column("sealed", MEDIUMBLOB),
    Index("kept_answer_began", "began_at"),
)
"""`status` is null while the call is being worked on. `sealed`: the body, which may hold a secret."""
