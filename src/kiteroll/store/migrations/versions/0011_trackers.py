"""Trackers: which area's tracker has a switch."""

import sqlalchemy as sa
from alembic import op

from kiteroll.store.types import exact_text

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    column = sa.Column("tracked_in", exact_text(64), nullable=False, server_default="")
    op.add_column("switch", column, if_not_exists=True)
