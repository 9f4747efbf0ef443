"""The tables. Migrations make them; a test holds the two against each other.

History is intervals (`stay`), not samples, and nothing is written for an address that is still
where it was: an open stay with no `last_seen_at` was last seen at its switch's `last_complete_at`.
"""

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
    MetaData,
    SmallInteger,
    String,
    Table,
    Text,
    UniqueConstraint,
)

from kiteroll.store.types import Instant, Mac, exact_text

metadata = MetaData()

credential = Table(
    "credential",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", exact_text(64), nullable=False, unique=True),
    Column("kind", String(64), nullable=False),
    Column("sealed", LargeBinary(4096), nullable=False),
    Column("added_at", Instant, nullable=False),
)

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
    Column("asked_as", String(64), nullable=False, server_default=""),
    Column("source", String(8), nullable=False, server_default="snmp"),
    # How long it is waited for and how often it is asked; null: as set for the service.
    Column("timeout_s", Float),
    Column("tries", SmallInteger),
    Column("interval_s", Integer, nullable=False),
    # How long a quiet address keeps its stay; null: as set for a group of it, or the service.
    Column("hold_s", Integer),
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
    # Addresses its table holds, as the operator says; no standard object tells it.
    Column("table_size", Integer),
    # By how much its uptime ran ahead of our clock between the last two readings.
    Column("clock_drift_s", Float),
    # Where the tracker stands.
    Column("last_at", Instant),
    Column("last_complete_at", Instant),
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
    Column("default_vlan", SmallInteger),
    Column("tagged", JSON, nullable=False),
    Column("untagged", JSON, nullable=False),
    Column("spanning_tree", String(12), nullable=False),
    # uplink or access, where the operator says so.
    Column("role_by_hand", String(8)),
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
    Column("leads_to", JSON, nullable=False),
    Column("nearest", JSON, nullable=False),
    Column("why", String(255), nullable=False),
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
    # As last told by LLDP; written anew when anything in it changed.
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

reading = Table(
    "reading",
    metadata,
    Column("id", BigInteger, primary_key=True),
    Column("switch_id", Integer, ForeignKey("switch.id"), nullable=False),
    Column("taken_at", Instant, nullable=False),
    Column("duration_ms", Integer, nullable=False),
    Column("outcome", String(8), nullable=False),
    Column("row_count", Integer, nullable=False),
    Column("change_count", Integer, nullable=False),
    Column("gaps", JSON, nullable=False),
    Column("error", Text),
    # Also what makes writing a reading twice (lost connection at commit) harmless.
    UniqueConstraint("switch_id", "taken_at", name="reading_once"),
    Index("reading_taken_at", "taken_at"),
)

endpoint = Table(
    "endpoint",
    metadata,
    Column("mac", Mac, primary_key=True, autoincrement=False),
    Column("first_seen_at", Instant, nullable=False),
    # What operators say of it.
    Column("label", String(128), nullable=False, server_default=""),
    Column("owner", String(128), nullable=False, server_default=""),
    Column("notes", Text),
    Index("endpoint_label", "label"),
    Index("endpoint_owner", "owner"),
)

stay = Table(
    "stay",
    metadata,
    # Given by the tracker, so that the same readings give the same stays.
    Column("id", BigInteger, primary_key=True, autoincrement=False),
    Column("mac", Mac, nullable=False),
    Column("switch_id", Integer, ForeignKey("switch.id"), nullable=False),
    Column("port_id", Integer, ForeignKey("port.id"), nullable=False),
    Column("vlan", SmallInteger, nullable=False),  # 0: not known
    Column("began_at", Instant, nullable=False),
    Column("resumed_at", Instant, nullable=False),
    Column("last_seen_at", Instant),
    Column("quiet_at", Instant),
    Column("ended_at", Instant),
    Column("ending", String(12)),
    # With its end, so that who was where at an instant reads no rows of other times.
    Index("stay_mac_time", "mac", "began_at", "ended_at"),
    Index("stay_switch", "switch_id", "ended_at"),
    Index("stay_switch_began", "switch_id", "began_at", "ended_at"),
    Index("stay_port", "port_id", "ended_at"),
    # In order of address, so that a page of a VLAN needs no sorting.
    Index("stay_vlan_mac", "vlan", "ended_at", "mac"),
    Index("stay_open_mac", "ended_at", "mac"),
    Index("stay_began", "began_at"),
)

ip_stay = Table(
    "ip_stay",
    metadata,
    # While open, last known at its source's last reading.
    Column("id", BigInteger, primary_key=True),
    Column("ip", String(45), nullable=False),
    Column("mac", Mac, nullable=False),
    Column("source_id", Integer, ForeignKey("switch.id"), nullable=False),
    Column("began_at", Instant, nullable=False),
    Column("ended_at", Instant),
    Index("ip_stay_ip", "ip", "ended_at"),
    Index("ip_stay_mac", "mac", "ended_at"),
    Index("ip_stay_source", "source_id", "ended_at"),
    Index("ip_stay_began", "began_at"),
)

change_log = Table(
    "change_log",
    metadata,
    Column("id", BigInteger, primary_key=True),
    Column("at", Instant, nullable=False),
    Column("kind", String(12), nullable=False),
    Column("switch_id", Integer, ForeignKey("switch.id"), nullable=False),
    Column("mac", Mac),
    Column("vlan", SmallInteger, nullable=False),
    Column("port_id", Integer, ForeignKey("port.id")),
    Column("origin_port_id", Integer, ForeignKey("port.id")),
    Column("stay_id", BigInteger),
    Column("why", String(64), nullable=False),
    Index("change_at", "at", "id"),
    Index("change_switch", "switch_id", "at", "id"),
    Index("change_mac", "mac", "at", "id"),
    # Restarts are a handful among millions of moves.
    Index("change_kind", "kind", "at", "id"),
)

site = Table(
    "site",
    metadata,
    Column("name", exact_text(64), primary_key=True),
    # Switches of the site that are read at the same time.
    Column("at_once", SmallInteger, nullable=False),
)

asked_round = Table(
    "asked_round",
    metadata,
    # A round that somebody asked for. What of it is done shows in the `tried_at` of its switches.
    Column("id", Integer, primary_key=True),
    Column("began_at", Instant, nullable=False),
    Column("ended_at", Instant),
    Column("state", String(12), nullable=False),
    Column("wanted", JSON, nullable=False),
)

table_mapping = Table(
    "table_mapping",
    metadata,
    # How a kind of CSV file is to be understood, as its operator wrote it down once.
    Column("name", exact_text(64), primary_key=True),
    Column("mapping", JSON, nullable=False),
)

maker_prefix = Table(
    "maker_prefix",
    metadata,
    # 6 to 11 hex digits: what addresses of the maker begin with.
    Column("prefix", exact_text(12), primary_key=True),
    Column("maker", String(128), nullable=False),
)

ip_name = Table(
    "ip_name",
    metadata,
    Column("id", BigInteger, primary_key=True),
    Column("ip", String(45), nullable=False),
    Column("name", String(255), nullable=False),
    Column("began_at", Instant, nullable=False),
    Column("ended_at", Instant),
    Index("ip_name_ip", "ip", "ended_at"),
    Index("ip_name_name", "name", "ended_at"),
)

ip_lookup = Table(
    "ip_lookup",
    metadata,
    # When the name of an IP address is to be asked for again.
    Column("ip", String(45), primary_key=True),
    Column("next_at", Instant, nullable=False),
    Index("ip_lookup_next", "next_at"),
)

group_setting = Table(
    "group_setting",
    metadata,
    Column("name", exact_text(64), primary_key=True),
    Column("hold_s", Integer, nullable=False),
)

shared_address = Table(
    "shared_address",
    metadata,
    # 6 to 12 hex digits of addresses that several devices answer with by design.
    Column("prefix", exact_text(12), primary_key=True),
    Column("why", String(255), nullable=False),
)

port_rule = Table(
    "port_rule",
    metadata,
    # What operators say of the ports of a group, of a switch, or of one port; see core/rules.py.
    Column("id", Integer, primary_key=True),
    Column("group_name", exact_text(64), nullable=False),  # empty: of a switch
    Column("switch_name", exact_text(64), nullable=False),  # empty: of a group
    Column("port_name", exact_text(255), nullable=False),  # empty: of all its ports
    Column("seats", Integer),
    Column("watched", Boolean),
    UniqueConstraint("group_name", "switch_name", "port_name", name="port_rule_once"),
)

enrolled = Table(
    "enrolled",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("rule_id", Integer, ForeignKey("port_rule.id"), nullable=False),
    # 6 to 12 hex digits: an address, or what addresses begin with.
    Column("prefix", exact_text(12), nullable=False),
    Column("vlan", SmallInteger, nullable=False),  # 0: any
    Column("note", String(255), nullable=False),
    Column("enrolled_by", String(64), nullable=False),
    Column("enrolled_at", Instant, nullable=False),
    UniqueConstraint("rule_id", "prefix", "vlan", name="enrolled_once"),
)

finding = Table(
    "finding",
    metadata,
    # One row a kind and subject, for ever: a finding that comes again reopens with its history.
    Column("id", Integer, primary_key=True),
    Column("key", exact_text(400), nullable=False, unique=True),
    Column("kind", String(24), nullable=False),
    Column("severity", String(8), nullable=False),
    Column("state", String(12), nullable=False),
    Column("mac", Mac),
    # Names, not ids: a finding outlives the switch it tells of.
    Column("switch_name", exact_text(64), nullable=False),
    Column("port_name", exact_text(255), nullable=False),
    Column("ip", String(45), nullable=False),
    Column("title", String(255), nullable=False),
    Column("cause", Text, nullable=False),
    Column("evidence", JSON, nullable=False),
    Column("places", JSON, nullable=False),
    Column("count", Integer, nullable=False),
    Column("opened", Integer, nullable=False),
    Column("first_at", Instant, nullable=False),
    Column("opened_at", Instant, nullable=False),
    Column("last_at", Instant, nullable=False),
    Column("cleared_at", Instant),
    Column("cleared_by", String(64), nullable=False),
    Column("acknowledged_by", String(64), nullable=False),
    Column("note", Text, nullable=False),
    Column("acknowledged_until", Instant),
    Column("part_of", exact_text(400), nullable=False),
    Index("finding_state", "state", "last_at"),
    Index("finding_last", "last_at"),
    Index("finding_mac", "mac"),
    Index("finding_switch", "switch_name", "port_name"),
)
