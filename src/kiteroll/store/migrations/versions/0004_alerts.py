"""Targets, routes, planned work, and the outbox."""

from typing import Any

import sqlalchemy as sa
from alembic import op

from kiteroll.store.types import Instant, exact_text

revision = "0004"
down_revision = "0003"

_OPTIONS: dict[str, Any] = {
    "mariadb_engine": "InnoDB",
    "mariadb_default_charset": "utf8mb4",
    "if_not_exists": True,
}


def upgrade() -> None:
    op.create_table(
        "alert_target",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", exact_text(64), nullable=False, unique=True),
        sa.Column("kind", sa.String(16), nullable=False),
        sa.Column("settings", sa.JSON, nullable=False),
        sa.Column("sealed", sa.LargeBinary),
        sa.Column("enabled", sa.Boolean, nullable=False),
        sa.Column("audit_log", sa.Boolean, nullable=False),
        sa.Column("audit_upto", sa.BigInteger, nullable=False),
        sa.Column("added_at", Instant, nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "alert_route",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", exact_text(64), nullable=False, unique=True),
        sa.Column("target_name", exact_text(64), nullable=False),
        sa.Column("severity", sa.String(8), nullable=False),
        sa.Column("kinds", sa.JSON, nullable=False),
        sa.Column("sites", sa.JSON, nullable=False),
        sa.Column("in_groups", sa.JSON, nullable=False),
        sa.Column("days", sa.JSON, nullable=False),
        sa.Column("zone", sa.String(64), nullable=False),
        sa.Column("since_minute", sa.SmallInteger, nullable=False),
        sa.Column("until_minute", sa.SmallInteger, nullable=False),
        sa.Column("tell_over", sa.Boolean, nullable=False),
        sa.Column("remind_after_s", sa.Integer),
        sa.Column("escalate_after_s", sa.Integer),
        sa.Column("escalate_to", exact_text(64), nullable=False),
        sa.Column("enabled", sa.Boolean, nullable=False),
        sa.Column("set_at", Instant, nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "planned_work",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("begins_at", Instant, nullable=False),
        sa.Column("ends_at", Instant, nullable=False),
        sa.Column("site", exact_text(64), nullable=False),
        sa.Column("switch_name", exact_text(64), nullable=False),
        sa.Column("kind", sa.String(24), nullable=False),
        sa.Column("reason", sa.String(255), nullable=False),
        sa.Column("planned_by", sa.String(64), nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "alert_message",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("key", exact_text(64), nullable=False),
        sa.Column(
            "target_id", sa.Integer, sa.ForeignKey("alert_target.id", ondelete="CASCADE"), nullable=False
        ),
        sa.Column("route_name", exact_text(64), nullable=False),
        sa.Column("reason", sa.String(12), nullable=False),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("finding_id", sa.Integer),
        sa.Column("times_opened", sa.Integer, nullable=False),
        sa.Column("content", sa.JSON, nullable=False),
        sa.Column("made_at", Instant, nullable=False),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("attempts", sa.Integer, nullable=False),
        sa.Column("next_try_at", Instant, nullable=False),
        sa.Column("ended_at", Instant),
        sa.Column("delivery", exact_text(32), nullable=False),
        sa.Column("possibly_repeated", sa.Boolean, nullable=False),
        sa.Column("error", sa.Text, nullable=False),
        sa.UniqueConstraint("key", "route_name", "target_id", name="alert_message_once"),
        **_OPTIONS,
    )
    for name, table, columns in (
        ("planned_work_ends", "planned_work", ("ends_at",)),
        ("alert_message_state", "alert_message", ("state", "target_id", "ended_at")),
        ("alert_message_finding", "alert_message", ("finding_id", "times_opened")),
        ("alert_message_made", "alert_message", ("made_at", "id")),
    ):
        op.create_index(name, table, columns, if_not_exists=True)
