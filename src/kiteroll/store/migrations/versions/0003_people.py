"""Accounts, their tokens and sessions, and the audit log."""

from typing import Any

import sqlalchemy as sa
from alembic import op

from kiteroll.store.types import Instant, exact_text

revision = "0003"
down_revision = "0002"

_OPTIONS: dict[str, Any] = {
    "mariadb_engine": "InnoDB",
    "mariadb_default_charset": "utf8mb4",
    "if_not_exists": True,
}


def upgrade() -> None:
    op.create_table(
        "account",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(64), nullable=False, unique=True),
        sa.Column("full_name", sa.String(255), nullable=False),
        sa.Column("role", sa.String(16), nullable=False),
        sa.Column("acts_on_ports", sa.Boolean, nullable=False),
        sa.Column("sites", sa.JSON),
        sa.Column("password_hash", sa.String(255)),
        sa.Column("openid_subject", exact_text(255), unique=True),
        sa.Column("must_change_password", sa.Boolean, nullable=False),
        sa.Column("enabled", sa.Boolean, nullable=False),
        sa.Column("created_at", Instant, nullable=False),
        sa.Column("signed_in_at", Instant),
        **_OPTIONS,
    )
    op.create_table(
        "api_token",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("account_id", sa.Integer, sa.ForeignKey("account.id"), nullable=False),
        sa.Column("name", exact_text(64), nullable=False),
        sa.Column("token_hash", exact_text(64), nullable=False, unique=True),
        sa.Column("scopes", sa.JSON, nullable=False),
        sa.Column("created_at", Instant, nullable=False),
        sa.Column("expires_at", Instant),
        sa.Column("last_used_at", Instant),
        sa.Column("last_used_from", sa.String(64), nullable=False),
        sa.Column("revoked_at", Instant),
        sa.UniqueConstraint("account_id", "name", name="api_token_name"),
        **_OPTIONS,
    )
    op.create_table(
        "sign_in_session",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("account_id", sa.Integer, sa.ForeignKey("account.id"), nullable=False),
        sa.Column("token_id", sa.Integer, sa.ForeignKey("api_token.id")),
        sa.Column("session_hash", exact_text(64), nullable=False, unique=True),
        sa.Column("opened_at", Instant, nullable=False),
        sa.Column("opened_from", sa.String(64), nullable=False),
        sa.Column("agent", sa.String(255), nullable=False),
        sa.Column("last_used_at", Instant, nullable=False),
        sa.Column("expires_at", Instant, nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "audit_entry",
        sa.Column("number", sa.BigInteger, primary_key=True, autoincrement=False),
        sa.Column("at", Instant, nullable=False),
        sa.Column("call_id", exact_text(32), nullable=False),
        sa.Column("stage", sa.String(8), nullable=False),
        sa.Column("done_by", sa.String(64), nullable=False),
        sa.Column("via", sa.String(80), nullable=False),
        sa.Column("client", sa.String(64), nullable=False),
        sa.Column("action", sa.String(64), nullable=False),
        sa.Column("subject", exact_text(255), nullable=False),
        sa.Column("value_before", sa.Text(1 << 20)),
        sa.Column("value_after", sa.Text(1 << 20)),
        sa.Column("note", sa.Text, nullable=False),
        sa.Column("digest_before", exact_text(64), nullable=False),
        sa.Column("digest", exact_text(64), nullable=False),
        **_OPTIONS,
    )
    for name, columns in (
        ("audit_entry_call", ("call_id",)),
        ("audit_entry_at", ("at",)),
        ("audit_entry_by", ("done_by", "number")),
        ("audit_entry_action", ("action", "number")),
    ):
        op.create_index(name, "audit_entry", columns, if_not_exists=True)
