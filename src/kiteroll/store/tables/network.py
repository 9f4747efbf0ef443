"""Switches, their ports and VLANs, and who is next to them."""

from sqlalchemy import (
    JSON,
    BigInteger,
    Boolean,
    Column,
    Float,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    SmallInteger,
    String,
    Table,
    Text,
    UniqueConstraint,
)

from kiteroll.store.tables.base import metadata
from kiteroll.store.types import Instant, Mac, exact_text

switch = Table(
    "switch",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", exact_text(64), nullable=False),
    # The name while the switch is in the inventory; made unique when it leaves, so names come free.
    Column("name_key", exact_text(96), nullable=False, unique=True),
    Column("host", String(255), nullable=False),
    Column("udp_port", Integer, nullable=False),
    Column("site", String(64), nullable=False, server_default=""),
    Column("in_groups", JSON, nullable=False),
    Column("notes", Text, nullable=False),
    Column("credential_id", Integer, ForeignKey("credential.id")),
    # Its own credential, sealed; null when a named one is used.
    Column("credential_sealed", LargeBinary(4096)),
    Column("credential_kind", String(64), nullable=False, server_default=""),
    # Id of the credential it is written with; null: nothing is ever written to it.
    Column("write_credential_id", Integer),
    Column("source", String(8), nullable=False, server_default="snmp"),
    # How long it is waited for and how often it is asked; null: as set for the service.
    Column("timeout_s", Float),
    Column("tries", SmallInteger),
    Column("interval_s", Integer, nullable=False),
    # How long a quiet address keeps its stay; null: as set for a group of it, or the service.
    Column("hold_time_s", Integer),
    Column("enabled", Boolean, nullable=False),
    Column("added_at", Instant, nullable=False),
    Column("removed_at", Instant),
    # What it says of itself, as last read.
    Column("sys_name", String(255), nullable=False, server_default=""),
    Column("description", String(255), nullable=False, server_default=""),
    Column("location", String(255), nullable=False, server_default=""),
    Column("contact", String(255), nullable=False, server_default=""),
    Column("bridge_address", Mac),
    Column("ageing_s", Integer),
    Column("model", String(255), nullable=False, server_default=""),
    Column("serial", String(255), nullable=False, server_default=""),
    Column("software", String(255), nullable=False, server_default=""),
    Column("topology_changes", BigInteger),
    Column("topology_changed_at", Instant),
    Column("learning_discards", BigInteger),
    # When the count of discards was last higher than in the reading before.
    Column("discards_rose_at", Instant),
    # Addresses its table holds, as the operator says; no standard object has it.
    Column("table_size", Integer),
    # By how much its uptime ran ahead of our clock between the last two readings.
    Column("clock_drift_s", Float),
    # The area whose tracker has it; empty: the service tracks it itself.
    Column("tracked_in", exact_text(64), nullable=False, server_default=""),
    # Where it was read before it was turned off, moved or removed, and until when.
    Column("left_site", String(64)),
    Column("left_site_at", Instant),
    # Where the tracker stands.
    Column("last_at", Instant),
    Column("last_complete_at", Instant),
    Column("read_since", Instant),
    Column("uptime_ticks", BigInteger),
    Column("uptime_at", Instant),
    Column("grace_until", Instant),
    # How the last try at reading it went.
    Column("health", String(16), nullable=False, server_default="unread"),
    Column("health_since", Instant),
    Column("tried_at", Instant),
    Column("next_try_at", Instant),
    Column("error", Text),
    Index("switch_bridge_address", "bridge_address"),
)


port = Table(
    "port",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("switch_id", Integer, ForeignKey("switch.id"), nullable=False),
    Column("name", exact_text(255), nullable=False),
    Column("number", Integer, nullable=False),
    Column("alias", String(255), nullable=False),
    Column("admin_up", Boolean, nullable=False),
    Column("oper", String(8), nullable=False),
    Column("oper_since", Instant),
    Column("speed_bps", BigInteger),
    Column("address", Mac),
    Column("bridged", Boolean, nullable=False),
    Column("kind", Integer),
    Column("duplex", String(8), nullable=False),
    Column("changed_ticks", BigInteger),
    Column("aggregate", exact_text(255)),
    Column("partner", exact_text(32), nullable=False, server_default=""),
    Column("default_vlan", SmallInteger),
    Column("tagged", JSON, nullable=False),
    Column("untagged", JSON, nullable=False),
    Column("spanning_tree", String(12), nullable=False),
    # uplink or access, where the operator says so.
    Column("operator_role", String(8)),
    # False once a complete reading no longer names it; the row stays, for stays point to it.
    Column("there", Boolean, nullable=False),
    UniqueConstraint("switch_id", "name", name="port_of_switch"),
)


port_uplink = Table(
    "port_uplink",
    metadata,
    # When a port counted as an uplink, [began_at, ended_at): what a question about the past goes by.
    Column("id", BigInteger, primary_key=True),
    Column("port_id", Integer, ForeignKey("port.id"), nullable=False),
    # Ids of the switches behind it. NULL where these follow from the cables of all uplinks
    # (kiteroll.core.topology.cables); else compressed by the server (migration 0018).
    Column("leads_to", JSON(none_as_null=True)),
    # Ids of those at the far end of its cable, and how that is (kiteroll.core.topology.cables.Cable).
    Column("adjacent", JSON, nullable=False),
    Column("cable", String(16), nullable=False, server_default="open"),
    # What it rests on (kiteroll.core.topology.roles.RoleEvidence), and ids of the switches that is about.
    Column("evidence", String(32), nullable=False),
    Column("witnesses", JSON, nullable=False),
    Column("began_at", Instant, nullable=False),
    Column("ended_at", Instant),
    Index("port_uplink_port", "port_id", "began_at"),
    Index("port_uplink_ended", "ended_at"),
)


port_link = Table(
    "port_link",
    metadata,
    # What became of a port's link, each time it became another.
    Column("id", BigInteger, primary_key=True),
    Column("port_id", Integer, ForeignKey("port.id"), nullable=False),
    Column("at", Instant, nullable=False),
    Column("oper", String(8), nullable=False),
    Index("port_link_port", "port_id", "at"),
    Index("port_link_at", "at"),
)


vlan = Table(
    "vlan",
    metadata,
    Column("switch_id", Integer, ForeignKey("switch.id"), primary_key=True),
    Column("id", SmallInteger, primary_key=True, autoincrement=False),
    Column("name", String(255), nullable=False),
)


neighbour = Table(
    "neighbour",
    metadata,
    # As last announced by LLDP; rewritten when anything in it changed.
    Column("id", BigInteger, primary_key=True),
    Column("switch_id", Integer, ForeignKey("switch.id"), nullable=False),
    Column("port_name", exact_text(255), nullable=False),
    Column("chassis", String(255), nullable=False),
    Column("chassis_mac", Mac),
    Column("far_port", String(255), nullable=False),
    Column("far_description", String(255), nullable=False),
    Column("name", String(255), nullable=False),
    Column("description", String(255), nullable=False),
    Column("addresses", JSON, nullable=False),
    Column("capabilities", JSON, nullable=False),
    Column("seen_at", Instant, nullable=False),
    Index("neighbour_switch", "switch_id"),
)
