"""Rules of ports: what is set at each level, who is enrolled and who is barred, windows, and their log."""

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
    UniqueConstraint,
)

from kiteroll.store.tables.base import metadata
from kiteroll.store.types import Instant, Mac, exact_text

port_rule = Table(
    "port_rule",
    metadata,
    # What operators set at one level (kiteroll.core.policy.levels); all four empty: for everything.
    Column("id", Integer, primary_key=True),
    Column("group_name", exact_text(64), nullable=False),
    Column("switch_name", exact_text(64), nullable=False),
    Column("port_name", exact_text(255), nullable=False),
    Column("port_range", exact_text(255), nullable=False, server_default=""),
    Column("seats", Integer),  # -1: no limit
    Column("watched", Boolean),
    Column("vlans", JSON),  # a list, in order
    Column("on_breach", String(8)),
    Column("reopen_after_s", Integer),  # 0: by a person alone
    Column("uplinks", Boolean),
    Column("note", String(255), nullable=False, server_default=""),
    UniqueConstraint("group_name", "switch_name", "port_name", "port_range", name="port_rule_level"),
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
    Column("owner", String(64), nullable=False, server_default=""),
    Column("expires_at", Instant),
    Column("enrolled_by", String(64), nullable=False),
    Column("enrolled_at", Instant, nullable=False),
    # What brought it here: by hand, a list, a window.
    Column("via", String(64), nullable=False, server_default=""),
    UniqueConstraint("rule_id", "prefix", "vlan", name="enrolled_once"),
)


barred_address = Table(
    "barred_address",
    metadata,
    # 6 to 12 hex digits of what must appear nowhere.
    Column("prefix", exact_text(12), primary_key=True),
    Column("reason", String(255), nullable=False),
    Column("expires_at", Instant),
    Column("barred_by", String(64), nullable=False),
    Column("barred_at", Instant, nullable=False),
)


enrolment_window = Table(
    "enrolment_window",
    metadata,
    # A time in which who is present at some ports becomes a candidate. Candidates are not stored: they
    # follow from the stays; what people decided on them is.
    Column("id", Integer, primary_key=True),
    Column("group_name", exact_text(64), nullable=False),
    Column("switch_name", exact_text(64), nullable=False),
    Column("port_name", exact_text(255), nullable=False),
    Column("port_range", exact_text(255), nullable=False),
    Column("begins_at", Instant, nullable=False),
    Column("ends_at", Instant, nullable=False),
    Column("min_present_s", Integer, nullable=False),
    Column("note", String(255), nullable=False),
    Column("opened_by", String(64), nullable=False),
    Column("opened_at", Instant, nullable=False),
    # Once nobody is to decide on its candidates any more.
    Column("closed_at", Instant),
    Column("closed_by", String(64), nullable=False, server_default=""),
    Index("enrolment_window_ends", "ends_at"),
)


candidate_decision = Table(
    "candidate_decision",
    metadata,
    # What a person decided on a candidate; names, not ids: it outlives the port.
    Column("id", Integer, primary_key=True),
    Column("window_id", Integer, ForeignKey("enrolment_window.id"), nullable=False),
    Column("mac", Mac, nullable=False),
    Column("switch_name", exact_text(64), nullable=False),
    Column("port_name", exact_text(255), nullable=False),
    Column("accepted", Boolean, nullable=False),
    Column("decided_by", String(64), nullable=False),
    Column("decided_at", Instant, nullable=False),
    Column("note", String(255), nullable=False),
    UniqueConstraint("window_id", "mac", "switch_name", "port_name", name="candidate_decision_once"),
)


rule_event = Table(
    "rule_event",
    metadata,
    # Who changed what of the rules, when and why; never changed, and never deleted.
    Column("id", BigInteger, primary_key=True),
    Column("at", Instant, nullable=False),
    Column("done_by", String(64), nullable=False),
    Column("reason", String(255), nullable=False),
    Column("via", String(64), nullable=False),
    Column("group_name", exact_text(64), nullable=False),
    Column("switch_name", exact_text(64), nullable=False),
    Column("port_name", exact_text(255), nullable=False),
    Column("port_range", exact_text(255), nullable=False),
    Column("what", String(16), nullable=False),
    Column("prefix", exact_text(12), nullable=False),  # empty: of no address
    Column("value_before", JSON),
    Column("value_after", JSON),
    Index("rule_event_at", "at", "id"),
    Index("rule_event_switch", "switch_name", "port_name"),
    Index("rule_event_prefix", "prefix"),
)
