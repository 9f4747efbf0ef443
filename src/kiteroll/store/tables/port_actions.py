"""Acting on ports: what was done, what is proposed, which ports are closed."""

from sqlalchemy import JSON, Boolean, Column, Index, Integer, String, Table, Text

from kiteroll.store.tables.base import metadata
from kiteroll.store.types import Instant, exact_text

port_action = Table(
    "port_action",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("kind", String(20), nullable=False),
    Column("switch_name", exact_text(64), nullable=False),
    # Empty: of the whole switch.
    Column("port_name", exact_text(255), nullable=False),
    Column("object", String(64), nullable=False),
    Column("was", String(255), nullable=False),
    Column("wanted", String(255), nullable=False),
    # Written before anything is sent: what is found as `sending` at a start is read back.
    Column("state", String(10), nullable=False),
    Column("outcome", Text, nullable=False),
    Column("reason", String(255), nullable=False),
    # Empty: a rule by itself, or the timer.
    Column("asked_by", String(64), nullable=False),
    Column("via", String(64), nullable=False),
    Column("overridden", JSON, nullable=False),
    # Key of the finding it was for.
    Column("breach", exact_text(512), nullable=False),
    Column("reopen_after_s", Integer, nullable=False),
    Column("present", JSON, nullable=False),
    Column("began_at", Instant, nullable=False),
    Column("ended_at", Instant),
    Index("port_action_state", "state"),
    Index("port_action_began", "began_at", "id"),
)

port_closure = Table(
    "port_closure",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("switch_name", exact_text(64), nullable=False),
    Column("port_name", exact_text(255), nullable=False),
    Column("action_id", Integer, nullable=False),
    Column("closed_at", Instant, nullable=False),
    Column("closed_by", String(64), nullable=False),
    Column("why", String(512), nullable=False),
    Column("breach", exact_text(512), nullable=False),
    Column("reopen_at", Instant),
    Column("held", Boolean, nullable=False),
    Column("came_back", Integer, nullable=False),
    Column("reopened_at", Instant),
    Column("reopened_by", String(64), nullable=False),
    Column("by_timer", Boolean, nullable=False),
    Index("port_closure_of_port", "switch_name", "port_name", "closed_at"),
    Index("port_closure_open", "reopened_at", "closed_at"),
)

port_proposal = Table(
    "port_proposal",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("switch_name", exact_text(64), nullable=False),
    Column("port_name", exact_text(255), nullable=False),
    Column("breach", exact_text(512), nullable=False),
    Column("finding_id", Integer),
    Column("times_opened", Integer, nullable=False),
    # How often the port was closed for it before: once reopened, it may be proposed again.
    Column("closings", Integer, nullable=False),
    Column("why", String(512), nullable=False),
    # What keeps it from being done by itself.
    Column("note", String(255), nullable=False),
    Column("reopen_after_s", Integer, nullable=False),
    Column("proposed_at", Instant, nullable=False),
    Column("expires_at", Instant, nullable=False),
    Column("state", String(10), nullable=False),
    Column("decided_at", Instant),
    Column("decided_by", String(64), nullable=False),
    Column("action_id", Integer),
    Index("port_proposal_state", "state", "id"),
    Index("port_proposal_breach", "breach", "times_opened"),
)

rehearsed_rule = Table(
    "rehearsed_rule",
    metadata,
    # What a rehearsal went through of rules that close ports (core.port_actions.breaches.fingerprint).
    Column("fingerprint", exact_text(64), primary_key=True),
    Column("rehearsed_at", Instant, nullable=False),
)

acting_state = Table(
    "acting_state",
    metadata,
    # One row: closing by rules stopped, until a person lets it go on.
    Column("id", Integer, primary_key=True, autoincrement=False),
    Column("stopped_at", Instant),
    Column("why", String(255), nullable=False),
)
