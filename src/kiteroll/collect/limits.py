"""Bounds on what one switch may cost. Every walk ends, whatever the agent does."""

from dataclasses import dataclass, replace


@dataclass(frozen=True, slots=True, kw_only=True)
class Limits:
    timeout_s: float = 2.0
    """Wait for one answer, in seconds; each further try waits half as long again."""
    tries: int = 3
    """How often one request is sent before the switch counts as silent."""
    total_s: float = 60.0
    """Time for the whole reading, in seconds; what is not read by then is a gap."""
    rows: int = 200_000
    """Rows of one table; a walk that goes on is broken off."""
    small_rows: int = 20_000
    """The same of tables that do not grow with the number of endpoints: ports, VLANs, neighbours."""
    octets: int = 24 << 20
    """Octets of answers in one reading: those of 200,000 rows, with as much again to spare."""
    bindings: int = 48
    """Values asked for in one GETBULK: about 1,400 octets of answer, one Ethernet frame."""

    def __post_init__(self) -> None:
        if self.timeout_s <= 0 or self.total_s <= 0 or self.tries < 1 or self.rows < 1 or self.bindings < 1:
            raise ValueError(f"limits must be positive: {self!r}")

    def of_switch(self, timeout_s: float | None, tries: int | None) -> "Limits":
        """With the waiting time and tries of one switch, where it has its own."""
        return replace(self, timeout_s=timeout_s or self.timeout_s, tries=tries or self.tries)

    def timeout_of_try(self, attempt: int) -> float:
        """Seconds to wait for try number `attempt`, counted from 1."""
        return self.timeout_s * (1 + (attempt - 1) / 2)
