"""That a condition goes on is written once, and not with each look."""

import sqlalchemy as sa
from alembic import op

from kiteroll.store.types import Instant

revision = "0020"
down_revision = "0019"


def upgrade() -> None:
    op.create_table(
        "finding_look",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("at", Instant, nullable=False),
        mariadb_engine="InnoDB",
        mariadb_default_charset="utf8mb4",
        if_not_exists=True,
    )
    goes_on = sa.Column("goes_on", sa.Boolean, nullable=False, server_default="0")
    op.add_column("finding", goes_on, if_not_exists=True)
    op.create_index("finding_state_order", "finding", ["state", "goes_on", "last_at"], if_not_exists=True)
    op.create_index("finding_order", "finding", ["goes_on", "last_at"], if_not_exists=True)
    op.drop_index("finding_state", "finding", if_exists=True)
