"""Who may be on a port: seats, whether it is watched, and the roll, by group, switch or port."""

from typing import Any

import sqlalchemy as sa
from alembic import op

from kiteroll.store.types import Instant, exact_text

revision = "0006"
down_revision = "0005"

_OPTIONS: dict[str, Any] = {
    "mariadb_engine": "InnoDB",
    "mariadb_default_charset": "utf8mb4",
    "if_not_exists": True,
}


def upgrade() -> None:
    op.create_table(
        "port_rule",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("group_name", exact_text(64), nullable=False),
        sa.Column("switch_name", exact_text(64), nullable=False),
        sa.Column("port_name", exact_text(255), nullable=False),
        sa.Column("seats", sa.Integer),
        sa.Column("watched", sa.Boolean),
        sa.UniqueConstraint("group_name", "switch_name", "port_name", name="port_rule_once"),
        **_OPTIONS,
    )
    op.create_table(
        "enrolled",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("rule_id", sa.Integer, sa.ForeignKey("port_rule.id"), nullable=False),
        sa.Column("prefix", exact_text(12), nullable=False),
        sa.Column("vlan", sa.SmallInteger, nullable=False),
        sa.Column("note", sa.String(255), nullable=False),
        sa.Column("enrolled_by", sa.String(64), nullable=False),
        sa.Column("enrolled_at", Instant, nullable=False),
        sa.UniqueConstraint("rule_id", "prefix", "vlan", name="enrolled_once"),
        **_OPTIONS,
    )
