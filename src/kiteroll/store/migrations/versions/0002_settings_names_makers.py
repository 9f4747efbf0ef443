"""Settings a switch and a site, prefixes of makers, and host names over time.

- A switch may be read over SNMP, from this machine's own bridges, or come by file alone.
- Discards that rise and clocks that run apart are told from one reading to the next, so what was
  seen last time is kept with the switch.
"""

from typing import Any

import sqlalchemy as sa
from alembic import op

from kiteroll.store.types import Instant, exact_text

revision = "0002"
down_revision = "0001"

_OPTIONS: dict[str, Any] = {
    "mariadb_engine": "InnoDB",
    "mariadb_default_charset": "utf8mb4",
    "if_not_exists": True,
}


def upgrade() -> None:
    for column in (
        sa.Column("source", sa.String(8), nullable=False, server_default="snmp"),
        sa.Column("timeout_s", sa.Float),
        sa.Column("tries", sa.SmallInteger),
        sa.Column("table_size", sa.Integer),
        sa.Column("discards_rose_at", Instant),
        sa.Column("clock_drift_s", sa.Float),
    ):
        op.add_column("switch", column, if_not_exists=True)
    op.create_table(
        "site",
        sa.Column("name", exact_text(64), primary_key=True),
        sa.Column("at_once", sa.SmallInteger, nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "asked_round",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("began_at", Instant, nullable=False),
        sa.Column("ended_at", Instant),
        sa.Column("state", sa.String(12), nullable=False),
        sa.Column("wanted", sa.JSON, nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "table_mapping",
        sa.Column("name", exact_text(64), primary_key=True),
        sa.Column("mapping", sa.JSON, nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "maker_prefix",
        sa.Column("prefix", exact_text(12), primary_key=True),
        sa.Column("maker", sa.String(128), nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "ip_name",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("ip", sa.String(45), nullable=False),
        sa.Column("name", sa.String(255), nullable=False),
        sa.Column("began_at", Instant, nullable=False),
        sa.Column("ended_at", Instant),
        sa.Index("ip_name_ip", "ip", "ended_at"),
        sa.Index("ip_name_name", "name", "ended_at"),
        **_OPTIONS,
    )
    op.create_table(
        "ip_lookup",
        sa.Column("ip", sa.String(45), primary_key=True),
        sa.Column("next_at", Instant, nullable=False),
        sa.Index("ip_lookup_next", "next_at"),
        **_OPTIONS,
    )
