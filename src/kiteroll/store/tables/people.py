"""People: accounts, their tokens and sessions, and the audit log of what they changed."""

from sqlalchemy import (
    JSON,
    BigInteger,
    Boolean,
    Column,
    ForeignKey,
    Index,
    Integer,
    String,
    Table,
    Text,
    UniqueConstraint,
)

from kiteroll.store.tables.base import metadata
from kiteroll.store.types import Instant, exact_text

account = Table(
    "account",
    metadata,
    Column("id", Integer, primary_key=True),
    # Compared without regard to case: nobody may look like somebody else.
    Column("name", String(64), nullable=False, unique=True),
    Column("full_name", String(255), nullable=False),
    Column("role", String(16), nullable=False),
    Column("acts_on_ports", Boolean, nullable=False),
    Column("sites", JSON(none_as_null=True)),  # a list; null: all
    Column("password_hash", String(255)),  # argon2id; null: signs in elsewhere
    # Of the OpenID Connect provider: its `sub` claim.
    Column("openid_subject", exact_text(255), unique=True),
    Column("must_change_password", Boolean, nullable=False),
    Column("enabled", Boolean, nullable=False),
    Column("created_at", Instant, nullable=False),
    Column("signed_in_at", Instant),
)

api_token = Table(
    "api_token",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("account_id", Integer, ForeignKey("account.id"), nullable=False),
    Column("name", exact_text(64), nullable=False),
    Column("token_hash", exact_text(64), nullable=False, unique=True),  # SHA-256
    Column("scopes", JSON, nullable=False),
    Column("created_at", Instant, nullable=False),
    Column("expires_at", Instant),
    Column("last_used_at", Instant),
    Column("last_used_from", String(64), nullable=False),
    Column("revoked_at", Instant),
    UniqueConstraint("account_id", "name", name="api_token_name"),
)

sign_in_session = Table(
    "sign_in_session",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("account_id", Integer, ForeignKey("account.id"), nullable=False),
    # Where it was opened with a token: it may no more than that, and ends with it.
    Column("token_id", Integer, ForeignKey("api_token.id")),
    Column("session_hash", exact_text(64), nullable=False, unique=True),
    Column("opened_at", Instant, nullable=False),
    Column("opened_from", String(64), nullable=False),
    Column("agent", String(255), nullable=False),
    Column("last_used_at", Instant, nullable=False),
    Column("expires_at", Instant, nullable=False),
)

audit_entry = Table(
    "audit_entry",
    metadata,
    # Never changed and never deleted; numbers without gaps (kiteroll.core.access.audit_chain).
    Column("number", BigInteger, primary_key=True, autoincrement=False),
    Column("at", Instant, nullable=False),
    # Entries of one call: one before it is worked on, one once it is.
    Column("call_id", exact_text(32), nullable=False),
    Column("stage", String(8), nullable=False),
    Column("done_by", String(64), nullable=False),
    Column("via", String(80), nullable=False),
    Column("client", String(64), nullable=False),
    Column("action", String(64), nullable=False),
    Column("subject", exact_text(255), nullable=False),
    # JSON as text: what was digested is kept octet by octet.
    Column("value_before", Text(1 << 20)),
    Column("value_after", Text(1 << 20)),
    Column("note", Text, nullable=False),
    Column("digest_before", exact_text(64), nullable=False),
    Column("digest", exact_text(64), nullable=False),
    Index("audit_entry_call", "call_id"),
    Index("audit_entry_at", "at"),
    Index("audit_entry_by", "done_by", "number"),
    Index("audit_entry_action", "action", "number"),
)
