"""Columns by the names their values have in the API."""

from alembic import op

revision = "0014"
down_revision = "0013"


def upgrade() -> None:
    op.execute("ALTER TABLE alert_route CHANGE COLUMN IF EXISTS tell_over send_cleared BOOLEAN NOT NULL")
    op.execute("ALTER TABLE collector CHANGE COLUMN IF EXISTS word status JSON")
