"""What is behind uplinks, compressed: in a large network each names nearly all switches."""

from alembic import op

revision = "0018"
down_revision = "0017"


def upgrade() -> None:
    op.execute(
        "ALTER TABLE port_uplink MODIFY leads_to LONGTEXT COMPRESSED CHARACTER SET utf8mb4 "
        "COLLATE utf8mb4_bin NOT NULL CHECK (json_valid(leads_to))"
    )
