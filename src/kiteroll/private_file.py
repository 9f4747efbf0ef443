"""Files that only their owner can read: keys and tokens."""

import os
from pathlib import Path


def write_private(path: Path, text: str) -> None:
    """Write a file that only its owner can read, whole or not at all. Raises OSError."""
    path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    part = path.with_name(path.name + ".part")
    part.unlink(missing_ok=True)
    descriptor = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(descriptor, "w") as file:
        file.write(text + "\n")
        file.flush()
        os.fsync(file.fileno())
    part.replace(path)
