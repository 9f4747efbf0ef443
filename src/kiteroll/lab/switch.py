"""A learning bridge: ports, VLANs and a filtering database (IEEE 802.1Q clauses 6 to 8)."""

from dataclasses import dataclass, field
from math import inf

from kiteroll.core.model.mac import MacAddress
from kiteroll.lab.traits import PLAIN, Traits


@dataclass(slots=True, kw_only=True)
class LabPort:
    number: int
    """ifIndex."""
    name: str
    alias: str = ""
    pvid: int = 1
    """VLAN of untagged frames."""
    tagged: frozenset[int] = frozenset()
    """VLANs carried with a tag."""
    cabled: bool = False
    admin_up: bool = True
    speed_mbps: int = 1000
    changed_at: float = -inf
    """World time of its last going up or down; before its switch started unless set."""
    blocked: bool = False
    """Spanning tree keeps it shut: it neither learns nor forwards (IEEE 802.1Q clause 13)."""
    spare: bool = False
    """An end of a second cable: only what goes round is sent there."""
    inner: bool = False
    """Where the switch's own frames enter: no interface that its agent reports."""

    @property
    def up(self) -> bool:
        return self.cabled and self.admin_up

    @property
    def forwards(self) -> bool:
        return self.up and not self.blocked

    def carries(self, vlan: int) -> bool:
        return vlan == self.pvid or vlan in self.tagged


@dataclass(slots=True)
class Learned:
    port: int
    heard_at: float
    """World time, in seconds."""


@dataclass(slots=True, kw_only=True)
class LabSwitch:
    name: str
    mac: MacAddress
    address: str
    """Loopback address its SNMP agent answers on."""
    location: str = ""
    ports: dict[int, LabPort] = field(default_factory=dict)
    vlans: dict[int, str] = field(default_factory=dict)
    ageing_s: int = 300
    booted_at: float = 0.0
    traits: Traits = PLAIN
    far_ports: dict[int, str] = field(default_factory=dict)
    """Interface to the name of the port at the other end of its cable, where that is a switch."""
    neighbour_cache: dict[str, MacAddress] = field(default_factory=dict)
    """IP to MAC address, on switches that route."""
    table_size: int | None = None
    """Addresses its table holds; None: as many as come."""
    discards: int = 0
    """Addresses not learned for want of room (dot1dTpLearnedEntryDiscards)."""
    topology_changes: int = 1
    answering: bool = True
    """False: its agent stays silent, the bridge goes on."""
    fdb: dict[tuple[int, int], Learned] = field(default_factory=dict)
    """(VLAN, address) to where it was learned. Order of insertion means nothing."""
    version: int = 0
    """Incremented whenever a row comes, goes or changes its port: agents then encode again."""

    def learn(self, mac: int, vlan: int, port: int, at: float) -> None:
        row = self.fdb.get((vlan, mac))
        if row is None:
            if self.table_size is not None and len(self.fdb) >= self.table_size:
                self.discards += 1
                self.version += 1
                return
            self.fdb[vlan, mac] = Learned(port, at)
            self.version += 1
            return
        if row.port != port:
            row.port = port
            self.version += 1
        row.heard_at = at

    def lookup(self, mac: int, vlan: int) -> int | None:
        row = self.fdb.get((vlan, mac))
        return None if row is None else row.port

    def age(self, at: float) -> None:
        """Drop rows not heard for the ageing time."""
        old = [key for key, row in self.fdb.items() if at - row.heard_at >= self.ageing_s]
        for key in old:
            del self.fdb[key]
        self.version += bool(old)

    def forget_port(self, port: int) -> None:
        """A port that goes down loses its dynamic rows (IEEE 802.1Q 8.8.3)."""
        old = [key for key, row in self.fdb.items() if row.port == port]
        for key in old:
            del self.fdb[key]
        self.version += 1

    def restart(self, at: float) -> None:
        self.fdb.clear()
        self.booted_at = at
        self.version += 1
