"""Where the service keeps its data and the command line looks for the token."""

from collections.abc import Mapping
from pathlib import Path

TOKEN_FILE = "token"
"""Holds the token of this machine."""
FIRST_PASSWORD_FILE = "admin-password"
"""Holds the initial password of the first administrator."""
KEY_FILE = "secrets.key"
"""The key that seals secrets of the database."""
CERTIFICATE_FILE = "certificate.pem"
"""The certificate that the service made for itself, where it was configured to."""


def default_data_dir(environment: Mapping[str, str]) -> Path:
    """KITEROLL_DATA, else the user's state directory (XDG base directories)."""
    if named := environment.get("KITEROLL_DATA"):
        return Path(named)
    state = environment.get("XDG_STATE_HOME") or str(Path.home() / ".local" / "state")
    return Path(state) / "kiteroll"


DEFAULT_URL = "http://127.0.0.1:8480"
"""Where a service answers unless configured otherwise."""
