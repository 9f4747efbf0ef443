"""What was read and when: readings, stays, changes, findings."""

from sqlalchemy import (
    JSON,
    BigInteger,
    Boolean,
    Column,
    ForeignKey,
    Index,
    Integer,
    SmallInteger,
    String,
    Table,
    Text,
    UniqueConstraint,
)

from kiteroll.store.tables.base import metadata
from kiteroll.store.types import Instant, Mac, exact_text

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
    Index("endpoint_first_seen", "first_seen_at"),
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
    # Of a stay that ended: why (kiteroll.core.model.stay.Ending); empty for the others.
    Column("ending", String(12), nullable=False),
    Index("change_at", "at", "id"),
    Index("change_switch", "switch_id", "at", "id"),
    Index("change_mac", "mac", "at", "id"),
    # Restarts are a handful among millions of moves.
    Index("change_kind", "kind", "at", "id"),
)


# How many changes an hour brought, without those at uplinks: counted as they come, for the log is too long.
change_hour = Table(
    "change_hour",
    metadata,
    Column("began_at", Instant, primary_key=True),
    Column("changes", Integer, nullable=False),
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


finding = Table(
    "finding",
    metadata,
    # One row a kind and subject, forever: a finding that comes again reopens with its history.
    Column("id", Integer, primary_key=True),
    Column("key", exact_text(400), nullable=False, unique=True),
    Column("kind", String(24), nullable=False),
    Column("severity", String(8), nullable=False),
    Column("state", String(12), nullable=False),
    Column("mac", Mac),
    # Names, not ids: a finding outlives the switch it is about.
    Column("switch_name", exact_text(64), nullable=False),
    Column("port_name", exact_text(255), nullable=False),
    Column("ip", String(45), nullable=False),
    Column("cause", String(32), nullable=False),
    Column("details", JSON, nullable=False),
    Column("evidence", JSON, nullable=False),
    Column("ports", JSON, nullable=False),
    Column("count", Integer, nullable=False),
    Column("times_opened", Integer, nullable=False),
    Column("first_at", Instant, nullable=False),
    Column("opened_at", Instant, nullable=False),
    Column("last_at", Instant, nullable=False),
    # Of how something is: each look since found it to be so, and the latest is in `finding_look`.
    Column("goes_on", Boolean, nullable=False, server_default="0"),
    Column("cleared_at", Instant),
    Column("cleared_by", String(64), nullable=False),
    Column("acknowledged_by", String(64), nullable=False),
    Column("note", Text, nullable=False),
    Column("acknowledged_until", Instant),
    Column("part_of", exact_text(400), nullable=False),
    # Of an address that is judged in each area by itself.
    Column("area", exact_text(64), nullable=False, server_default=""),
    Index("finding_state_order", "state", "goes_on", "last_at"),
    Index("finding_order", "goes_on", "last_at"),
    Index("finding_last", "last_at"),
    Index("finding_mac", "mac"),
    Index("finding_switch", "switch_name", "port_name"),
)


finding_look = Table(
    "finding_look",
    metadata,
    # One row: when it was last looked at how things are. Written with each look, where thousands of findings
    # that only go on would be.
    Column("id", Integer, primary_key=True, autoincrement=False),
    Column("at", Instant, nullable=False),
)


finding_opening = Table(
    "finding_opening",
    metadata,
    # Each time a finding was open: `finding` itself knows the last one alone.
    Column("id", BigInteger, primary_key=True),
    Column("finding_id", Integer, ForeignKey("finding.id", ondelete="CASCADE"), nullable=False),
    Column("opened_at", Instant, nullable=False),
    Column("cleared_at", Instant),
    UniqueConstraint("finding_id", "opened_at", name="finding_opening_once"),
    Index("finding_opening_time", "cleared_at", "opened_at"),
)
