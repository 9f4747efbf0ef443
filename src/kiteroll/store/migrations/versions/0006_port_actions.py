"""Acting on ports: credentials to write with, actions, closed ports, proposals."""

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
    op.add_column("switch", sa.Column("write_credential_id", sa.Integer), if_not_exists=True)
    op.create_table(
        "port_action",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("switch_name", exact_text(64), nullable=False),
        sa.Column("port_name", exact_text(255), nullable=False),
        sa.Column("object", sa.String(64), nullable=False),
        sa.Column("was", sa.String(255), nullable=False),
        sa.Column("wanted", sa.String(255), nullable=False),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("outcome", sa.Text, nullable=False),
        sa.Column("reason", sa.String(255), nullable=False),
        sa.Column("asked_by", sa.String(64), nullable=False),
        sa.Column("via", sa.String(64), nullable=False),
        sa.Column("overridden", sa.JSON, nullable=False),
        sa.Column("breach", exact_text(512), nullable=False),
        sa.Column("reopen_after_s", sa.Integer, nullable=False),
        sa.Column("present", sa.JSON, nullable=False),
        sa.Column("began_at", Instant, nullable=False),
        sa.Column("ended_at", Instant),
        **_OPTIONS,
    )
    op.create_index("port_action_state", "port_action", ["state"], if_not_exists=True)
    op.create_index("port_action_began", "port_action", ["began_at", "id"], if_not_exists=True)
    op.create_table(
        "port_closure",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("switch_name", exact_text(64), nullable=False),
        sa.Column("port_name", exact_text(255), nullable=False),
        sa.Column("action_id", sa.Integer, nullable=False),
        sa.Column("closed_at", Instant, nullable=False),
        sa.Column("closed_by", sa.String(64), nullable=False),
        sa.Column("why", sa.String(512), nullable=False),
        sa.Column("breach", exact_text(512), nullable=False),
        sa.Column("reopen_at", Instant),
        sa.Column("held", sa.Boolean, nullable=False),
        sa.Column("came_back", sa.Integer, nullable=False),
        sa.Column("reopened_at", Instant),
        sa.Column("reopened_by", sa.String(64), nullable=False),
        sa.Column("by_timer", sa.Boolean, nullable=False),
        **_OPTIONS,
    )
    op.create_index(
        "port_closure_of_port", "port_closure", ["switch_name", "port_name", "closed_at"], if_not_exists=True
    )
    op.create_index("port_closure_open", "port_closure", ["reopened_at", "closed_at"], if_not_exists=True)
    op.create_table(
        "port_proposal",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("switch_name", exact_text(64), nullable=False),
        sa.Column("port_name", exact_text(255), nullable=False),
        sa.Column("breach", exact_text(512), nullable=False),
        sa.Column("finding_id", sa.Integer),
        sa.Column("times_opened", sa.Integer, nullable=False),
        sa.Column("closings", sa.Integer, nullable=False),
        sa.Column("why", sa.String(512), nullable=False),
        sa.Column("note", sa.String(255), nullable=False),
        sa.Column("reopen_after_s", sa.Integer, nullable=False),
        sa.Column("proposed_at", Instant, nullable=False),
        sa.Column("expires_at", Instant, nullable=False),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("decided_at", Instant),
        sa.Column("decided_by", sa.String(64), nullable=False),
        sa.Column("action_id", sa.Integer),
        **_OPTIONS,
    )
    op.create_index("port_proposal_state", "port_proposal", ["state", "id"], if_not_exists=True)
    op.create_index("port_proposal_breach", "port_proposal", ["breach", "times_opened"], if_not_exists=True)
    op.create_table(
        "rehearsed_rule",
        sa.Column("fingerprint", exact_text(64), primary_key=True),
        sa.Column("rehearsed_at", Instant, nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "acting_state",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("stopped_at", Instant),
        sa.Column("why", sa.String(255), nullable=False),
        **_OPTIONS,
    )
