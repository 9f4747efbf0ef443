"""What ports were: when each counted as an uplink, and what became of its link. A question about the past
is answered by these; before they begin, by how things are now."""

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
        "port_uplink",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("port_id", sa.Integer, sa.ForeignKey("port.id"), nullable=False),
        sa.Column("leads_to", sa.JSON, nullable=False),
        sa.Column("nearest", sa.JSON, nullable=False),
        sa.Column("why", sa.String(255), nullable=False),
        sa.Column("began_at", Instant, nullable=False),
        sa.Column("ended_at", Instant),
        sa.Index("port_uplink_port", "port_id", "began_at"),
        sa.Index("port_uplink_ended", "ended_at"),
        **_OPTIONS,
    )
    op.create_table(
        "port_link",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("port_id", sa.Integer, sa.ForeignKey("port.id"), nullable=False),
        sa.Column("at", Instant, nullable=False),
        sa.Column("oper", sa.String(8), nullable=False),
        sa.Index("port_link_port", "port_id", "at"),
        sa.Index("port_link_at", "at"),
        **_OPTIONS,
    )
