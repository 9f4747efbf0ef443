"""What a person sets once for all commands: ~/.config/kiteroll/config.toml, with a table for each profile.

    url = "https://kite.tarn.example:8480"
    token_file = "~/.config/kiteroll/token"
    local = true

    [profile.lab]
    url = "http://127.0.0.1:8490"
    data = "~/kiteroll-lab"

Options and environment variables win over it.
"""

import os
import stat
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, fields
from pathlib import Path

from kiteroll.core.errors import ConfigError
from kiteroll.core.model.nearest import did_you_mean

_OTHERS = stat.S_IRWXG | stat.S_IRWXO


@dataclass(frozen=True, slots=True)
class Profile:
    url: str = ""
    token: str = ""
    token_file: str = ""
    ca_file: str = ""
    data: str = ""
    """Data directory of a service on this machine."""
    proxy: str = ""
    format: str = ""
    local: bool = False
    """Times in tables in the zone of this machine."""


NO_PROFILE = Profile()


def profile_file(environment: Mapping[str, str]) -> Path:
    base = environment.get("XDG_CONFIG_HOME") or "~/.config"
    return Path(base).expanduser() / "kiteroll" / "config.toml"


def load_profile(name: str | None, environment: Mapping[str, str] = os.environ) -> Profile:
    """The one that is named, else what stands before all tables. Raises ConfigError."""
    file = profile_file(environment)
    try:
        text = file.read_bytes()
    except FileNotFoundError:
        if name:
            raise ConfigError(str(file), (f"there is no profile {name!r}: the file is not there",)) from None
        return NO_PROFILE
    except OSError as wrong:
        raise ConfigError(str(file), (f"it cannot be read: {wrong.strerror}",)) from wrong
    try:
        whole = tomllib.loads(text.decode())
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as wrong:
        raise ConfigError(str(file), (f"it is not TOML: {wrong}",)) from wrong
    profiles = whole.pop("profile", {})
    if name and name not in profiles:
        hint = did_you_mean(name, profiles, f"there are {', '.join(profiles) or 'none'}")
        raise ConfigError(str(file), (f"there is no profile {name!r}; {hint}",))
    chosen = {**whole, **(profiles[name] if name else {})}
    _check(file, chosen)
    if chosen.get("token") and file.stat().st_mode & _OTHERS:
        raise ConfigError(str(file), (f"it holds a token and others can read it: chmod 600 {file}",))
    return Profile(**chosen)


def _check(file: Path, chosen: Mapping[str, object]) -> None:
    kinds = {one.name: bool if one.name == "local" else str for one in fields(Profile)}
    problems = []
    for name, value in chosen.items():
        if name not in kinds:
            problems.append(f"{name} is not a setting; {did_you_mean(name, kinds, ', '.join(kinds))}")
        elif not isinstance(value, kinds[name]):
            problems.append(f"{name} must be {'true or false' if kinds[name] is bool else 'text'}")
    if problems:
        raise ConfigError(str(file), tuple(problems))
