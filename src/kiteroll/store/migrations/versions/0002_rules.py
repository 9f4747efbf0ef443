"""Rules by range of ports and for everything, more that a rule sets, who is barred, enrolment windows, and
the log of what was changed."""

from typing import Any

import sqlalchemy as sa
from alembic import op

from kiteroll.store.types import Instant, Mac, exact_text

revision = "0002"
down_revision = "0001"

_OPTIONS: dict[str, Any] = {
    "mariadb_engine": "InnoDB",
    "mariadb_default_charset": "utf8mb4",
    "if_not_exists": True,
}
_COLUMNS: dict[str, tuple[sa.Column[Any], ...]] = {
    "port_rule": (
        sa.Column("port_range", exact_text(255), nullable=False, server_default=""),
        sa.Column("vlans", sa.JSON),
        sa.Column("on_breach", sa.String(8)),
        sa.Column("reopen_after_s", sa.Integer),
        sa.Column("uplinks", sa.Boolean),
        sa.Column("note", sa.String(255), nullable=False, server_default=""),
    ),
    "enrolled": (
        sa.Column("owner", sa.String(64), nullable=False, server_default=""),
        sa.Column("expires_at", Instant),
        sa.Column("via", sa.String(64), nullable=False, server_default=""),
    ),
}
_INDEXES = (
    ("enrolment_window_ends", "enrolment_window", ("ends_at",)),
    ("rule_event_at", "rule_event", ("at", "id")),
    ("rule_event_switch", "rule_event", ("switch_name", "port_name")),
    ("rule_event_prefix", "rule_event", ("prefix",)),
)


def upgrade() -> None:
    for table, columns in _COLUMNS.items():
        for column in columns:
            op.add_column(table, column, if_not_exists=True)
    op.execute(
        "CREATE UNIQUE INDEX IF NOT EXISTS port_rule_level "
        "ON port_rule (group_name, switch_name, port_name, port_range)"
    )
    op.execute("DROP INDEX IF EXISTS port_rule_once ON port_rule")
    op.create_table(
        "barred_address",
        sa.Column("prefix", exact_text(12), primary_key=True),
        sa.Column("reason", sa.String(255), nullable=False),
        sa.Column("expires_at", Instant),
        sa.Column("barred_by", sa.String(64), nullable=False),
        sa.Column("barred_at", Instant, nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "enrolment_window",
        sa.Column("id", sa.Integer, primary_key=True),
        *_level(),
        sa.Column("begins_at", Instant, nullable=False),
        sa.Column("ends_at", Instant, nullable=False),
        sa.Column("min_present_s", sa.Integer, nullable=False),
        sa.Column("note", sa.String(255), nullable=False),
        sa.Column("opened_by", sa.String(64), nullable=False),
        sa.Column("opened_at", Instant, nullable=False),
        sa.Column("closed_at", Instant),
        sa.Column("closed_by", sa.String(64), nullable=False, server_default=""),
        **_OPTIONS,
    )
    op.create_table(
        "candidate_decision",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("window_id", sa.Integer, sa.ForeignKey("enrolment_window.id"), nullable=False),
        sa.Column("mac", Mac, nullable=False),
        sa.Column("switch_name", exact_text(64), nullable=False),
        sa.Column("port_name", exact_text(255), nullable=False),
        sa.Column("accepted", sa.Boolean, nullable=False),
        sa.Column("decided_by", sa.String(64), nullable=False),
        sa.Column("decided_at", Instant, nullable=False),
        sa.Column("note", sa.String(255), nullable=False),
        sa.UniqueConstraint("window_id", "mac", "switch_name", "port_name", name="candidate_decision_once"),
        **_OPTIONS,
    )
    op.create_table(
        "rule_event",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("at", Instant, nullable=False),
        sa.Column("done_by", sa.String(64), nullable=False),
        sa.Column("reason", sa.String(255), nullable=False),
        sa.Column("via", sa.String(64), nullable=False),
        *_level(),
        sa.Column("what", sa.String(16), nullable=False),
        sa.Column("prefix", exact_text(12), nullable=False),
        sa.Column("value_before", sa.JSON),
        sa.Column("value_after", sa.JSON),
        **_OPTIONS,
    )
    for name, table, indexed in _INDEXES:
        op.create_index(name, table, indexed, if_not_exists=True)


def _level() -> tuple[sa.Column[Any], ...]:
    return (
        sa.Column("group_name", exact_text(64), nullable=False),
        sa.Column("switch_name", exact_text(64), nullable=False),
        sa.Column("port_name", exact_text(255), nullable=False),
        sa.Column("port_range", exact_text(255), nullable=False),
    )
