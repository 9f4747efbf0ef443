"""One program at a time works on a data directory."""

import fcntl
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from kiteroll.core.errors import ConfigError, Conflict


@contextmanager
def held(data_dir: Path) -> Iterator[None]:
    """Hold the data directory for ourselves; the system releases it when we end, however we end. Raises
    Conflict when another one has it, or ConfigError."""
    try:
        data_dir.mkdir(parents=True, exist_ok=True, mode=0o700)
        file = (data_dir / "lock").open("a+")
    except OSError as wrong:
        raise ConfigError(
            str(data_dir), (f"the data directory cannot be written: {wrong.strerror} @ data_dir",)
        ) from wrong
    with file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as held:
            file.seek(0)
            holder = file.read().strip() or "unknown"
            raise Conflict(
                f"the data directory {data_dir} is in use by another Kite Roll (process {holder})"
            ) from held
        file.truncate(0)
        file.write(f"{os.getpid()}\n")
        file.flush()
        yield
