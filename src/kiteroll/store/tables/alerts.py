"""Alerts: targets, routes, planned work, and the outbox."""

from sqlalchemy import (
    JSON,
    BigInteger,
    Boolean,
    Column,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    SmallInteger,
    String,
    Table,
    Text,
    UniqueConstraint,
)

from kiteroll.store.tables.base import metadata
from kiteroll.store.types import Instant, exact_text

alert_target = Table(
    "alert_target",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", exact_text(64), nullable=False, unique=True),
    Column("kind", String(16), nullable=False),
    Column("settings", JSON, nullable=False),
    # What is secret of the settings, sealed (kiteroll.store.vault).
    Column("sealed", LargeBinary),
    Column("enabled", Boolean, nullable=False),
    # Whether entries of the audit log are sent there, and up to which they were put into the outbox.
    Column("audit_log", Boolean, nullable=False),
    Column("audit_upto", BigInteger, nullable=False),
    Column("added_at", Instant, nullable=False),
)

alert_route = Table(
    "alert_route",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", exact_text(64), nullable=False, unique=True),
    Column("target_name", exact_text(64), nullable=False),
    Column("severity", String(8), nullable=False),
    Column("kinds", JSON, nullable=False),
    Column("sites", JSON, nullable=False),
    Column("in_groups", JSON, nullable=False),
    Column("days", JSON, nullable=False),
    Column("zone", String(64), nullable=False),
    Column("since_minute", SmallInteger, nullable=False),
    Column("until_minute", SmallInteger, nullable=False),
    Column("send_cleared", Boolean, nullable=False),
    Column("remind_after_s", Integer),
    Column("escalate_after_s", Integer),
    Column("escalate_to", exact_text(64), nullable=False),
    Column("enabled", Boolean, nullable=False),
    # What opened before is not sent by it.
    Column("set_at", Instant, nullable=False),
)

planned_work = Table(
    "planned_work",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("begins_at", Instant, nullable=False),
    Column("ends_at", Instant, nullable=False),
    Column("site", exact_text(64), nullable=False),
    Column("switch_name", exact_text(64), nullable=False),
    Column("kind", String(24), nullable=False),
    Column("reason", String(255), nullable=False),
    Column("planned_by", String(64), nullable=False),
    Index("planned_work_ends", "ends_at"),
)

alert_message = Table(
    "alert_message",
    metadata,
    # The outbox. A message is made in one transaction and delivered in another: it is never lost, and what
    # was being sent when the service died is sent again, marked.
    Column("id", BigInteger, primary_key=True),
    # The same thing is sent to one target once by each route.
    Column("key", exact_text(64), nullable=False),
    Column("target_id", Integer, ForeignKey("alert_target.id", ondelete="CASCADE"), nullable=False),
    Column("route_name", exact_text(64), nullable=False),
    Column("reason", String(12), nullable=False),
    Column("number", Integer, nullable=False),
    Column("finding_id", Integer),
    Column("times_opened", Integer, nullable=False),
    Column("content", JSON, nullable=False),
    Column("made_at", Instant, nullable=False),
    Column("state", String(10), nullable=False),
    Column("attempts", Integer, nullable=False),
    Column("next_try_at", Instant, nullable=False),
    Column("ended_at", Instant),
    Column("delivery", exact_text(32), nullable=False),
    # It was being sent when the service ended: it may have arrived, and is sent again.
    Column("possibly_repeated", Boolean, nullable=False),
    Column("error", Text, nullable=False),
    UniqueConstraint("key", "route_name", "target_id", name="alert_message_once"),
    Index("alert_message_state", "state", "target_id", "ended_at"),
    Index("alert_message_finding", "finding_id", "times_opened"),
    Index("alert_message_made", "made_at", "id"),
)
