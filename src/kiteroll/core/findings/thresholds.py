"""When something counts as a finding. Settable; the defaults suit access networks of offices and plants."""

from dataclasses import dataclass
from datetime import timedelta

from kiteroll.core.tracking.switch_health import DEFAULT_TABLE_SHARE


@dataclass(frozen=True, slots=True, kw_only=True)
class Thresholds:
    flap_moves: int = 3
    """Jumps of one address within `flap_window` that make it flap."""
    flap_window: timedelta = timedelta(minutes=10)
    moved_memory: timedelta = timedelta(days=7)
    """An address that comes up elsewhere within this long of being gone has moved."""
    moved_together: int = 5
    """Addresses that go from one port to the same other one within `flap_window` that are reported as one."""
    path_addresses: int = 5
    """Addresses that a switch learns at another uplink within `burst_window` that make a topology change."""
    loop_addresses: int = 5
    """Addresses that are pulled to one port and come back that make a loop likely."""
    loop_window: timedelta = timedelta(minutes=5)
    """In which they must come back."""
    burst_window: timedelta = timedelta(minutes=2)
    """In which addresses are counted for floods, and for changes of paths."""
    flood_addresses: int = 50
    """New addresses on one port within `burst_window`."""
    silent_after: timedelta = timedelta(days=1)
    """A port that is up and learned nothing for this long is silent."""
    ip_conflict_window: timedelta = timedelta(hours=1)
    """In which an IP address that goes to and fro between addresses is a conflict: caches of routers
    are read every few minutes."""
    multiple_ips_after: timedelta = timedelta(hours=6)
    """An address must answer with several IPs for this long: routers keep old entries for up to four."""
    port_rule_delay: timedelta = timedelta(seconds=20)
    """A rule of a port must be broken for this long: where a new port leads is known some seconds
    after its first reading."""
    expiry_notice: timedelta = timedelta(days=7)
    """How long before an entry of a roll expires it is reported."""
    table_share: float = DEFAULT_TABLE_SHARE
    """Share of its size from which a table counts as nearly full."""
    ageing_lasting: timedelta = timedelta(minutes=10)
    """An ageing time must be too short, or too long, for this long: a topology change shortens it for some
    seconds (IEEE 802.1Q 8.8.3)."""
    ageing_long: timedelta = timedelta(hours=12)
    """An ageing time longer than this is too long."""
    clear_after: timedelta = timedelta(minutes=15)
    """A finding clears after this long without new evidence."""
    condition_clear_after: timedelta = timedelta(minutes=2)
    """The same for conditions that are either so or not."""
