"""Areas: which sites share layer 2, and of which area a finding is."""

import sqlalchemy as sa
from alembic import op

from kiteroll.store.types import exact_text

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    op.alter_column("site", "concurrency", existing_type=sa.SmallInteger, nullable=True)
    for table in ("site", "finding"):
        column = sa.Column("area", exact_text(64), nullable=False, server_default="")
        op.add_column(table, column, if_not_exists=True)
