"""What the tries of a round brought, kept with it."""

import sqlalchemy as sa
from alembic import op

from kiteroll.store.types import exact_text

revision = "0017"
down_revision = "0016"


def upgrade() -> None:
    op.create_table(
        "round_try",
        sa.Column(
            "round_id", sa.Integer, sa.ForeignKey("on_demand_round.id", ondelete="CASCADE"), primary_key=True
        ),
        sa.Column("switch", exact_text(64), primary_key=True),
        sa.Column("complete", sa.Boolean, nullable=False),
        mariadb_engine="InnoDB",
        mariadb_default_charset="utf8mb4",
        if_not_exists=True,
    )
    # Of rounds before, each switch's latest try is all that is known; the latest twenty are listed.
    op.execute(
        "INSERT IGNORE INTO round_try (round_id, switch, complete) "
        "SELECT asked.id, switch.name, switch.health = 'read' "
        "FROM (SELECT * FROM on_demand_round ORDER BY id DESC LIMIT 20) AS asked "
        "JOIN switch ON JSON_CONTAINS(asked.wanted, JSON_QUOTE(switch.name)) "
        "WHERE switch.removed_at IS NULL AND switch.tried_at >= asked.began_at "
        "AND (asked.state IN ('running', 'done') OR switch.tried_at <= asked.ended_at)"
    )
