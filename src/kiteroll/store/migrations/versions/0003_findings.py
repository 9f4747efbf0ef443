"""Findings, what operators say of ports, endpoints and addresses, and hold times of their own."""

from typing import Any

import sqlalchemy as sa
from alembic import op

from kiteroll.store.types import Instant, Mac, exact_text

revision = "0003"
down_revision = "0002"

_OPTIONS: dict[str, Any] = {
    "mariadb_engine": "InnoDB",
    "mariadb_default_charset": "utf8mb4",
    "if_not_exists": True,
}


def upgrade() -> None:
    op.add_column("port", sa.Column("role_by_hand", sa.String(8)), if_not_exists=True)
    op.add_column("switch", sa.Column("hold_s", sa.Integer), if_not_exists=True)
    for column in (
        sa.Column("label", sa.String(128), nullable=False, server_default=""),
        sa.Column("owner", sa.String(128), nullable=False, server_default=""),
        sa.Column("notes", sa.Text),
    ):
        op.add_column("endpoint", column, if_not_exists=True)
    op.create_index("endpoint_label", "endpoint", ["label"], if_not_exists=True)
    op.create_index("endpoint_owner", "endpoint", ["owner"], if_not_exists=True)
    op.create_index("ip_stay_began", "ip_stay", ["began_at"], if_not_exists=True)
    # Pages of a VLAN and of all come in order of address, which these indexes have.
    op.create_index("stay_vlan_mac", "stay", ["vlan", "ended_at", "mac"], if_not_exists=True)
    op.create_index("stay_open_mac", "stay", ["ended_at", "mac"], if_not_exists=True)
    op.drop_index("stay_vlan", "stay", if_exists=True)
    op.drop_index("stay_ended", "stay", if_exists=True)
    op.create_index("stay_began", "stay", ["began_at"], if_not_exists=True)
    op.create_table(
        "group_setting",
        sa.Column("name", exact_text(64), primary_key=True),
        sa.Column("hold_s", sa.Integer, nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "shared_address",
        sa.Column("prefix", exact_text(12), primary_key=True),
        sa.Column("why", sa.String(255), nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "finding",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("key", exact_text(400), nullable=False, unique=True),
        sa.Column("kind", sa.String(24), nullable=False),
        sa.Column("severity", sa.String(8), nullable=False),
        sa.Column("state", sa.String(12), nullable=False),
        sa.Column("mac", Mac),
        sa.Column("switch_name", exact_text(64), nullable=False),
        sa.Column("port_name", exact_text(255), nullable=False),
        sa.Column("ip", sa.String(45), nullable=False),
        sa.Column("title", sa.String(255), nullable=False),
        sa.Column("cause", sa.Text, nullable=False),
        sa.Column("evidence", sa.JSON, nullable=False),
        sa.Column("places", sa.JSON, nullable=False),
        sa.Column("count", sa.Integer, nullable=False),
        sa.Column("opened", sa.Integer, nullable=False),
        sa.Column("first_at", Instant, nullable=False),
        sa.Column("opened_at", Instant, nullable=False),
        sa.Column("last_at", Instant, nullable=False),
        sa.Column("cleared_at", Instant),
        sa.Column("cleared_by", sa.String(64), nullable=False),
        sa.Column("acknowledged_by", sa.String(64), nullable=False),
        sa.Column("note", sa.Text, nullable=False),
        sa.Column("acknowledged_until", Instant),
        sa.Column("part_of", exact_text(400), nullable=False),
        sa.Index("finding_state", "state", "last_at"),
        sa.Index("finding_last", "last_at"),
        sa.Index("finding_mac", "mac"),
        sa.Index("finding_switch", "switch_name", "port_name"),
        **_OPTIONS,
    )
