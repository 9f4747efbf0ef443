"""Which site read a switch before, and until when: its readings may still be on their way."""

import sqlalchemy as sa
from alembic import op

from kiteroll.store.types import Instant

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    op.add_column("switch", sa.Column("left_site", sa.String(64)), if_not_exists=True)
    op.add_column("switch", sa.Column("left_site_at", Instant), if_not_exists=True)
