"""When findings were open, each time: what was open at an instant of the past."""

import sqlalchemy as sa
from alembic import op

from kiteroll.store.types import Instant

revision = "0009"
down_revision = "0008"


def upgrade() -> None:
    op.create_table(
        "finding_opening",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("finding_id", sa.Integer, sa.ForeignKey("finding.id", ondelete="CASCADE"), nullable=False),
        sa.Column("opened_at", Instant, nullable=False),
        sa.Column("cleared_at", Instant),
        sa.UniqueConstraint("finding_id", "opened_at", name="finding_opening_once"),
        sa.Index("finding_opening_time", "cleared_at", "opened_at"),
        mariadb_engine="InnoDB",
        mariadb_default_charset="utf8mb4",
        if_not_exists=True,
    )
    # Of those before, the last time alone is known.
    op.execute(
        "INSERT IGNORE INTO finding_opening (finding_id, opened_at, cleared_at) "
        "SELECT id, opened_at, cleared_at FROM finding"
    )
