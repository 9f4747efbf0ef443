"""How the service tracks switches, for trackers of areas."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    op.create_table(
        "tracking_rules",
        sa.Column("id", sa.SmallInteger, primary_key=True, autoincrement=False),
        sa.Column("hold_time_s", sa.Double, nullable=True),
        sa.Column("new_addresses_per_port", sa.Integer, nullable=False),
        sa.Column("endpoints", sa.Integer, nullable=False),
        mariadb_engine="InnoDB",
        mariadb_default_charset="utf8mb4",
        if_not_exists=True,
    )
