"""How much memory a process has."""

from pathlib import Path


def resident_mb(pid: int | str) -> int:
    """Resident memory in MB; `self` for this process. Raises OSError when there is no such process."""
    for line in Path(f"/proc/{pid}/status").read_text().splitlines():
        if line.startswith("VmRSS:"):
            return int(line.split()[1]) >> 10
    return 0
