"""Collectors at sites, and how far their readings have come."""

from typing import Any

import sqlalchemy as sa
from alembic import op

from kiteroll.store.types import Instant, exact_text

revision = "0008"
down_revision = "0007"

_OPTIONS: dict[str, Any] = {
    "mariadb_engine": "InnoDB",
    "mariadb_default_charset": "utf8mb4",
    "if_not_exists": True,
}


def upgrade() -> None:
    op.create_table(
        "collector",
        sa.Column("name", exact_text(64), primary_key=True),
        sa.Column("site", exact_text(64), nullable=False),
        sa.Column("public_key", sa.String(64), nullable=False),
        sa.Column("added_at", Instant, nullable=False),
        sa.Column("heard_at", Instant),
        sa.Column("word", sa.JSON),
        **_OPTIONS,
    )
    op.create_table(
        "collected_site",
        sa.Column("site", exact_text(64), primary_key=True),
        sa.Column("number", sa.BigInteger),
        sa.Column("position", sa.BigInteger),
        sa.Column("dropped", sa.BigInteger, nullable=False, server_default="0"),
        sa.Column("dropped_at", Instant),
        sa.Column("refused", sa.BigInteger, nullable=False, server_default="0"),
        sa.Column("refused_at", Instant),
        sa.Column("refusal", sa.Text),
        **_OPTIONS,
    )
