"""Since when a switch has been read without a gap in which an address could come and go unseen."""

import sqlalchemy as sa
from alembic import op

from kiteroll.store.types import Instant

revision = "0015"
down_revision = "0014"


def upgrade() -> None:
    op.add_column("switch", sa.Column("read_since", Instant), if_not_exists=True)
