"""Settings that people change while the service runs."""

from typing import Any

import sqlalchemy as sa
from alembic import op

from kiteroll.store.types import Instant

revision = "0005"
down_revision = "0004"

_OPTIONS: dict[str, Any] = {
    "mariadb_engine": "InnoDB",
    "mariadb_default_charset": "utf8mb4",
    "if_not_exists": True,
}


def upgrade() -> None:
    op.create_table(
        "runtime_setting",
        sa.Column("name", sa.String(64), primary_key=True),
        sa.Column("value", sa.JSON, nullable=False),
        sa.Column("set_at", Instant, nullable=False),
        sa.Column("set_by", sa.String(64), nullable=False),
        **_OPTIONS,
    )
