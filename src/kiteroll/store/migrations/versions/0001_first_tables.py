"""The first tables: inventory, readings, endpoints with their stays, and the log of changes.

MariaDB commits each CREATE TABLE on its own; `checkfirst` lets a migration that was cut off run
again. The definitions are written out here, not taken from the tables of today, which move on.
"""

from typing import Any

import sqlalchemy as sa
from alembic import op

from kiteroll.store.types import Instant, Mac, exact_text

revision = "0001"
down_revision = None

_OPTIONS: dict[str, Any] = {
    "mariadb_engine": "InnoDB",
    "mariadb_default_charset": "utf8mb4",
    "if_not_exists": True,
}


def upgrade() -> None:
    op.create_table(
        "credential",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", exact_text(64), nullable=False, unique=True),
        sa.Column("kind", sa.String(64), nullable=False),
        sa.Column("sealed", sa.LargeBinary(4096), nullable=False),
        sa.Column("added_at", Instant, nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "switch",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", exact_text(64), nullable=False),
        sa.Column("name_key", exact_text(96), nullable=False, unique=True),
        sa.Column("host", sa.String(255), nullable=False),
        sa.Column("udp_port", sa.Integer, nullable=False),
        sa.Column("site", sa.String(64), nullable=False, server_default=""),
        sa.Column("in_groups", sa.JSON, nullable=False),
        sa.Column("notes", sa.Text, nullable=False),
        sa.Column("credential_id", sa.Integer, sa.ForeignKey("credential.id")),
        sa.Column("credential_sealed", sa.LargeBinary(4096)),
        sa.Column("asked_as", sa.String(64), nullable=False, server_default=""),
        sa.Column("interval_s", sa.Integer, nullable=False),
        sa.Column("enabled", sa.Boolean, nullable=False),
        sa.Column("added_at", Instant, nullable=False),
        sa.Column("removed_at", Instant),
        sa.Column("sys_name", sa.String(255), nullable=False, server_default=""),
        sa.Column("description", sa.String(255), nullable=False, server_default=""),
        sa.Column("location", sa.String(255), nullable=False, server_default=""),
        sa.Column("contact", sa.String(255), nullable=False, server_default=""),
        sa.Column("bridge_address", Mac),
        sa.Column("ageing_s", sa.Integer),
        sa.Column("model", sa.String(255), nullable=False, server_default=""),
        sa.Column("serial", sa.String(255), nullable=False, server_default=""),
        sa.Column("software", sa.String(255), nullable=False, server_default=""),
        sa.Column("topology_changes", sa.BigInteger),
        sa.Column("topology_changed_at", Instant),
        sa.Column("learning_discards", sa.BigInteger),
        sa.Column("last_at", Instant),
        sa.Column("last_complete_at", Instant),
        sa.Column("uptime_ticks", sa.BigInteger),
        sa.Column("uptime_at", Instant),
        sa.Column("grace_until", Instant),
        sa.Column("health", sa.String(16), nullable=False, server_default="unread"),
        sa.Column("health_since", Instant),
        sa.Column("tried_at", Instant),
        sa.Column("next_try_at", Instant),
        sa.Column("error", sa.Text),
        sa.Index("switch_bridge_address", "bridge_address"),
        **_OPTIONS,
    )
    op.create_table(
        "port",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("switch_id", sa.Integer, sa.ForeignKey("switch.id"), nullable=False),
        sa.Column("name", exact_text(255), nullable=False),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("alias", sa.String(255), nullable=False),
        sa.Column("admin_up", sa.Boolean, nullable=False),
        sa.Column("oper", sa.String(8), nullable=False),
        sa.Column("oper_since", Instant),
        sa.Column("speed_bps", sa.BigInteger),
        sa.Column("address", Mac),
        sa.Column("bridged", sa.Boolean, nullable=False),
        sa.Column("kind", sa.Integer),
        sa.Column("duplex", sa.String(8), nullable=False),
        sa.Column("changed_ticks", sa.BigInteger),
        sa.Column("aggregate", exact_text(255)),
        sa.Column("default_vlan", sa.SmallInteger),
        sa.Column("tagged", sa.JSON, nullable=False),
        sa.Column("untagged", sa.JSON, nullable=False),
        sa.Column("spanning_tree", sa.String(12), nullable=False),
        sa.Column("there", sa.Boolean, nullable=False),
        sa.UniqueConstraint("switch_id", "name", name="port_of_switch"),
        **_OPTIONS,
    )
    op.create_table(
        "vlan",
        sa.Column("switch_id", sa.Integer, sa.ForeignKey("switch.id"), primary_key=True),
        sa.Column("id", sa.SmallInteger, primary_key=True, autoincrement=False),
        sa.Column("name", sa.String(255), nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "neighbour",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("switch_id", sa.Integer, sa.ForeignKey("switch.id"), nullable=False),
        sa.Column("port_name", exact_text(255), nullable=False),
        sa.Column("chassis", sa.String(255), nullable=False),
        sa.Column("chassis_mac", Mac),
        sa.Column("far_port", sa.String(255), nullable=False),
        sa.Column("far_description", sa.String(255), nullable=False),
        sa.Column("name", sa.String(255), nullable=False),
        sa.Column("description", sa.String(255), nullable=False),
        sa.Column("addresses", sa.JSON, nullable=False),
        sa.Column("capabilities", sa.JSON, nullable=False),
        sa.Column("seen_at", Instant, nullable=False),
        sa.Index("neighbour_switch", "switch_id"),
        **_OPTIONS,
    )
    op.create_table(
        "reading",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("switch_id", sa.Integer, sa.ForeignKey("switch.id"), nullable=False),
        sa.Column("taken_at", Instant, nullable=False),
        sa.Column("duration_ms", sa.Integer, nullable=False),
        sa.Column("outcome", sa.String(8), nullable=False),
        sa.Column("row_count", sa.Integer, nullable=False),
        sa.Column("change_count", sa.Integer, nullable=False),
        sa.Column("gaps", sa.JSON, nullable=False),
        sa.Column("error", sa.Text),
        sa.UniqueConstraint("switch_id", "taken_at", name="reading_once"),
        sa.Index("reading_taken_at", "taken_at"),
        **_OPTIONS,
    )
    op.create_table(
        "endpoint",
        sa.Column("mac", Mac, primary_key=True, autoincrement=False),
        sa.Column("first_seen_at", Instant, nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "stay",
        sa.Column("id", sa.BigInteger, primary_key=True, autoincrement=False),
        sa.Column("mac", Mac, nullable=False),
        sa.Column("switch_id", sa.Integer, sa.ForeignKey("switch.id"), nullable=False),
        sa.Column("port_id", sa.Integer, sa.ForeignKey("port.id"), nullable=False),
        sa.Column("vlan", sa.SmallInteger, nullable=False),
        sa.Column("began_at", Instant, nullable=False),
        sa.Column("resumed_at", Instant, nullable=False),
        sa.Column("last_seen_at", Instant),
        sa.Column("quiet_at", Instant),
        sa.Column("ended_at", Instant),
        sa.Column("ending", sa.String(12)),
        sa.Index("stay_mac", "mac", "began_at"),
        sa.Index("stay_switch", "switch_id", "ended_at"),
        sa.Index("stay_port", "port_id", "ended_at"),
        sa.Index("stay_vlan", "vlan", "ended_at"),
        sa.Index("stay_ended", "ended_at"),
        **_OPTIONS,
    )
    op.create_table(
        "ip_stay",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("ip", sa.String(45), nullable=False),
        sa.Column("mac", Mac, nullable=False),
        sa.Column("source_id", sa.Integer, sa.ForeignKey("switch.id"), nullable=False),
        sa.Column("began_at", Instant, nullable=False),
        sa.Column("ended_at", Instant),
        sa.Index("ip_stay_ip", "ip", "ended_at"),
        sa.Index("ip_stay_mac", "mac", "ended_at"),
        sa.Index("ip_stay_source", "source_id", "ended_at"),
        **_OPTIONS,
    )
    op.create_table(
        "change_log",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("at", Instant, nullable=False),
        sa.Column("kind", sa.String(12), nullable=False),
        sa.Column("switch_id", sa.Integer, sa.ForeignKey("switch.id"), nullable=False),
        sa.Column("mac", Mac),
        sa.Column("vlan", sa.SmallInteger, nullable=False),
        sa.Column("port_id", sa.Integer, sa.ForeignKey("port.id")),
        sa.Column("origin_port_id", sa.Integer, sa.ForeignKey("port.id")),
        sa.Column("stay_id", sa.BigInteger),
        sa.Column("why", sa.String(64), nullable=False),
        sa.Index("change_at", "at", "id"),
        sa.Index("change_switch", "switch_id", "at", "id"),
        sa.Index("change_mac", "mac", "at", "id"),
        **_OPTIONS,
    )
