"""The first tables: inventory, readings, endpoints with their stays, findings and rules of ports.

MariaDB commits each statement on its own, so every step may be run again: a migration that was cut off
goes on where it stopped. The definitions are written out here, not taken from the tables of today, which
move on.
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
_INDEXES = (
    ("endpoint_label", "endpoint", ("label",)),
    ("endpoint_owner", "endpoint", ("owner",)),
    ("finding_last", "finding", ("last_at",)),
    ("finding_mac", "finding", ("mac",)),
    ("finding_state", "finding", ("state", "last_at")),
    ("finding_switch", "finding", ("switch_name", "port_name")),
    ("ip_lookup_next", "ip_lookup", ("next_at",)),
    ("ip_name_ip", "ip_name", ("ip", "ended_at")),
    ("ip_name_name", "ip_name", ("name", "ended_at")),
    ("switch_bridge_address", "switch", ("bridge_address",)),
    ("ip_stay_began", "ip_stay", ("began_at",)),
    ("ip_stay_ip", "ip_stay", ("ip", "ended_at")),
    ("ip_stay_mac", "ip_stay", ("mac", "ended_at")),
    ("ip_stay_source", "ip_stay", ("source_id", "ended_at")),
    ("neighbour_switch", "neighbour", ("switch_id",)),
    ("reading_taken_at", "reading", ("taken_at",)),
    ("change_at", "change_log", ("at", "id")),
    ("change_kind", "change_log", ("kind", "at", "id")),
    ("change_mac", "change_log", ("mac", "at", "id")),
    ("change_switch", "change_log", ("switch_id", "at", "id")),
    ("port_link_at", "port_link", ("at",)),
    ("port_link_port", "port_link", ("port_id", "at")),
    ("port_uplink_ended", "port_uplink", ("ended_at",)),
    ("port_uplink_port", "port_uplink", ("port_id", "began_at")),
    ("stay_began", "stay", ("began_at",)),
    ("stay_mac_time", "stay", ("mac", "began_at", "ended_at")),
    ("stay_open_mac", "stay", ("ended_at", "mac")),
    ("stay_port", "stay", ("port_id", "ended_at")),
    ("stay_switch", "stay", ("switch_id", "ended_at")),
    ("stay_switch_began", "stay", ("switch_id", "began_at", "ended_at")),
    ("stay_vlan_mac", "stay", ("vlan", "ended_at", "mac")),
)


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
        "csv_mapping",
        sa.Column("name", exact_text(64), primary_key=True),
        sa.Column("mapping", sa.JSON, nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "endpoint",
        sa.Column("mac", Mac, primary_key=True, autoincrement=False),
        sa.Column("first_seen_at", Instant, nullable=False),
        sa.Column("label", sa.String(128), nullable=False, server_default=""),
        sa.Column("owner", sa.String(128), nullable=False, server_default=""),
        sa.Column("notes", sa.Text),
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
        sa.Column("cause", sa.String(32), nullable=False),
        sa.Column("details", sa.JSON, nullable=False),
        sa.Column("evidence", sa.JSON, nullable=False),
        sa.Column("ports", sa.JSON, nullable=False),
        sa.Column("count", sa.Integer, nullable=False),
        sa.Column("times_opened", sa.Integer, nullable=False),
        sa.Column("first_at", Instant, nullable=False),
        sa.Column("opened_at", Instant, nullable=False),
        sa.Column("last_at", Instant, nullable=False),
        sa.Column("cleared_at", Instant),
        sa.Column("cleared_by", sa.String(64), nullable=False),
        sa.Column("acknowledged_by", sa.String(64), nullable=False),
        sa.Column("note", sa.Text, nullable=False),
        sa.Column("acknowledged_until", Instant),
        sa.Column("part_of", exact_text(400), nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "group_setting",
        sa.Column("name", exact_text(64), primary_key=True),
        sa.Column("hold_time_s", sa.Integer),
        sa.Column("shares_tables", sa.Boolean, nullable=False, server_default=sa.false()),
        **_OPTIONS,
    )
    op.create_table(
        "ip_lookup",
        sa.Column("ip", sa.String(45), primary_key=True),
        sa.Column("next_at", Instant, nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "ip_name",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("ip", sa.String(45), nullable=False),
        sa.Column("name", sa.String(255), nullable=False),
        sa.Column("began_at", Instant, nullable=False),
        sa.Column("ended_at", Instant),
        **_OPTIONS,
    )
    op.create_table(
        "maker_prefix",
        sa.Column("prefix", exact_text(12), primary_key=True),
        sa.Column("maker", sa.String(128), nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "on_demand_round",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("began_at", Instant, nullable=False),
        sa.Column("ended_at", Instant),
        sa.Column("state", sa.String(12), nullable=False),
        sa.Column("wanted", sa.JSON, nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "port_rule",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("group_name", exact_text(64), nullable=False),
        sa.Column("switch_name", exact_text(64), nullable=False),
        sa.Column("port_name", exact_text(255), nullable=False),
        sa.Column("seats", sa.Integer),
        sa.Column("watched", sa.Boolean),
        sa.UniqueConstraint("group_name", "switch_name", "port_name", name="port_rule_once"),
        **_OPTIONS,
    )
    op.create_table(
        "shared_address",
        sa.Column("prefix", exact_text(12), primary_key=True),
        sa.Column("why", sa.String(255), nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "site",
        sa.Column("name", exact_text(64), primary_key=True),
        sa.Column("concurrency", sa.SmallInteger, nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "enrolled",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("rule_id", sa.Integer, sa.ForeignKey("port_rule.id"), nullable=False),
        sa.Column("prefix", exact_text(12), nullable=False),
        sa.Column("vlan", sa.SmallInteger, nullable=False),
        sa.Column("note", sa.String(255), nullable=False),
        sa.Column("enrolled_by", sa.String(64), nullable=False),
        sa.Column("enrolled_at", Instant, nullable=False),
        sa.UniqueConstraint("rule_id", "prefix", "vlan", name="enrolled_once"),
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
        sa.Column("credential_kind", sa.String(64), nullable=False, server_default=""),
        sa.Column("source", sa.String(8), nullable=False, server_default="snmp"),
        sa.Column("timeout_s", sa.Float),
        sa.Column("tries", sa.SmallInteger),
        sa.Column("interval_s", sa.Integer, nullable=False),
        sa.Column("hold_time_s", sa.Integer),
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
        sa.Column("discards_rose_at", Instant),
        sa.Column("table_size", sa.Integer),
        sa.Column("clock_drift_s", sa.Float),
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
        sa.Column("partner", exact_text(32), nullable=False, server_default=""),
        sa.Column("default_vlan", sa.SmallInteger),
        sa.Column("tagged", sa.JSON, nullable=False),
        sa.Column("untagged", sa.JSON, nullable=False),
        sa.Column("spanning_tree", sa.String(12), nullable=False),
        sa.Column("operator_role", sa.String(8)),
        sa.Column("there", sa.Boolean, nullable=False),
        sa.UniqueConstraint("switch_id", "name", name="port_of_switch"),
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
        sa.Column("ending", sa.String(12), nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "port_link",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("port_id", sa.Integer, sa.ForeignKey("port.id"), nullable=False),
        sa.Column("at", Instant, nullable=False),
        sa.Column("oper", sa.String(8), nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "port_uplink",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("port_id", sa.Integer, sa.ForeignKey("port.id"), nullable=False),
        sa.Column("leads_to", sa.JSON, nullable=False),
        sa.Column("adjacent", sa.JSON, nullable=False),
        sa.Column("evidence", sa.String(32), nullable=False),
        sa.Column("witnesses", sa.JSON, nullable=False),
        sa.Column("began_at", Instant, nullable=False),
        sa.Column("ended_at", Instant),
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
        **_OPTIONS,
    )
    for name, table, columns in _INDEXES:
        op.create_index(name, table, columns, if_not_exists=True)
