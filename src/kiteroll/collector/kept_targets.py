"""What a collector is to read, kept for when it starts without the centre: sealed, as it came."""

import json
from dataclasses import dataclass
from pathlib import Path

from kiteroll.bus.messages import Targets, decode
from kiteroll.bus.sealing import PrivateKey
from kiteroll.core.errors import ConfigError, Invalid
from kiteroll.private_file import write_private

_FILE, _CLOCK_FILE, _KEY_FILE = "targets.sealed", "clock.json", "collector.key"


@dataclass(frozen=True, slots=True)
class TargetStore:
    """In the data directory of a collector."""

    directory: Path
    collector: str
    site: str
    key: PrivateKey

    @classmethod
    def open(cls, directory: Path, collector: str, site: str) -> "TargetStore":
        """Raises ConfigError."""
        return cls(directory, collector, site, PrivateKey(directory / _KEY_FILE))

    def read(self) -> Targets | None:
        """Those kept last; None where there are none. Raises Invalid for those of another key."""
        try:
            sealed = bytes.fromhex((self.directory / _FILE).read_text())
        except FileNotFoundError:
            return None
        except (OSError, ValueError) as wrong:
            raise Invalid(f"the kept targets cannot be read: {wrong}") from wrong
        return self._opened(sealed)

    def accept(self, sealed: bytes, before: Targets | None) -> Targets:
        """Open and keep new ones. Raises Invalid for those of another key or site, or older than `before`:
        somebody sent again what once was; ConfigError when they cannot be kept."""
        targets = self._opened(sealed)
        if before is not None and targets.made_at < before.made_at:
            raise Invalid("the targets that came are older than those there are: they are not taken")
        self._write(_FILE, sealed.hex())
        return targets

    def read_clock(self) -> float:
        """By how much the clock was ahead, in seconds; 0 when that is not known."""
        try:
            return float(json.loads((self.directory / _CLOCK_FILE).read_text())["ahead_s"])
        except (OSError, ValueError, KeyError, TypeError):
            return 0.0

    def save_clock(self, ahead_s: float) -> None:
        """Raises ConfigError."""
        self._write(_CLOCK_FILE, json.dumps({"ahead_s": round(ahead_s, 3)}))

    def _opened(self, sealed: bytes) -> Targets:
        targets = decode(Targets, self.key.open(self.collector, sealed))
        if targets.site != self.site:
            raise Invalid(f"the targets are of site {targets.site!r}; this collector is of {self.site!r}")
        return targets

    def _write(self, name: str, text: str) -> None:
        try:
            write_private(self.directory / name, text)
        except OSError as wrong:
            raise ConfigError(str(self.directory), (f"{name} cannot be written: {wrong}",)) from wrong
