"""How many changes each hour brought, counted as they come."""

import sqlalchemy as sa
from alembic import op

from kiteroll.store.types import Instant

revision = "0016"
down_revision = "0015"


def upgrade() -> None:
    op.create_table(
        "change_hour",
        sa.Column("began_at", Instant, primary_key=True),
        sa.Column("changes", sa.Integer, nullable=False),
        if_not_exists=True,
    )
