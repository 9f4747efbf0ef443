"""Indexes for questions about the past: of the stays of a switch by their beginning, and of those of an
address with their end, so that comparing two instants reads no rows but those it answers with; and of
changes by kind, for those that are rare."""

from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.create_index("stay_switch_began", "stay", ["switch_id", "began_at", "ended_at"], if_not_exists=True)
    # Made beside the old one and then put in its place: run again after a break, each step still fits.
    op.create_index("stay_mac_time", "stay", ["mac", "began_at", "ended_at"], if_not_exists=True)
    op.drop_index("stay_mac", "stay", if_exists=True)
    op.create_index("change_kind", "change_log", ["kind", "at", "id"], if_not_exists=True)
