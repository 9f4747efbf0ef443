"""What every command gets: the client it uses and the output it writes to."""

import argparse
import os
import re
import sys
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, time, timedelta
from pathlib import Path
from typing import TYPE_CHECKING

from kiteroll.cli.exit_codes import Exit
from kiteroll.cli.output import FORMATS, Look, Output
from kiteroll.cli.profile import NO_PROFILE, Profile, load_profile
from kiteroll.clock import SystemClock
from kiteroll.core.errors import Invalid
from kiteroll.data_dir import CERTIFICATE_FILE, DEFAULT_URL, TOKEN_FILE, default_data_dir
from kiteroll.duration import parse_duration_s

if TYPE_CHECKING:
    from kiteroll.client import Client

_TIME_OF_DAY = re.compile(r"([01]\d|2[0-3]):[0-5]\d")


@dataclass(frozen=True, slots=True)
class Context:
    args: argparse.Namespace
    out: Output
    now: Callable[[], datetime]
    profile: Profile = NO_PROFILE

    def client(self) -> "Client":
        """Raises Invalid when no token can be found."""
        _load_httpx()
        from kiteroll.client import Client  # not needed by commands that run without a service

        return Client(*self.access(), ca_file=self.ca_file(), proxy=self.profile.proxy or None)

    def instant(self, text: str | None) -> datetime | None:
        """The time an option was given. Raises Invalid."""
        return None if text is None else parse_instant(text, self.now())

    def access(self) -> tuple[str, str]:
        """Where the service answers, and the token. Raises Invalid."""
        url = self.args.url or os.environ.get("KITEROLL_URL") or self.profile.url or DEFAULT_URL
        return url, self._token()

    def ca_file(self) -> str:
        """What to trust: as given, or the certificate that a service of this machine made for itself."""
        if given := getattr(self.args, "ca", None) or os.environ.get("KITEROLL_CA_FILE"):
            return str(given)
        if self.profile.ca_file:
            return str(Path(self.profile.ca_file).expanduser())
        own = self._data_dir() / CERTIFICATE_FILE
        return str(own) if own.exists() else ""

    def _data_dir(self) -> Path:
        if self.args.data:
            return Path(self.args.data)
        if self.profile.data and "KITEROLL_DATA" not in os.environ:
            return Path(self.profile.data).expanduser()
        return default_data_dir(os.environ)

    def _token(self) -> str:
        if token := os.environ.get("KITEROLL_TOKEN"):
            return token
        if self.profile.token and not self.args.data:
            return self.profile.token
        file = self._data_dir() / TOKEN_FILE
        if self.profile.token_file and not self.args.data:
            file = Path(self.profile.token_file).expanduser()
        try:
            return file.read_text().strip()
        except FileNotFoundError as missing:
            raise Invalid(
                f"no token: {file} is not there. Start the service (`kiteroll up`), point --data or "
                "KITEROLL_DATA to its data directory, or set KITEROLL_TOKEN"
            ) from missing
        except OSError as wrong:
            raise Invalid(f"the token file {file} cannot be read: {wrong.strerror}") from wrong


Command = Callable[[Context], Exit]


def _load_httpx() -> None:
    """httpx also loads its own command line where it finds click, and that takes as long as all the rest."""
    if "click" in sys.modules:
        return
    sys.modules["click"] = None  # type: ignore[assignment]  # to the import system: there is none
    try:
        import httpx  # noqa: F401
    finally:
        del sys.modules["click"]


def make_context(args: argparse.Namespace) -> Context:
    clock = SystemClock()
    profile = NO_PROFILE
    if hasattr(args, "profile"):  # commands that talk to a service
        profile = load_profile(args.profile or os.environ.get("KITEROLL_PROFILE"))
    zone = getattr(args, "zone", None)
    look = Look(
        columns=tuple(filter(None, (getattr(args, "columns", None) or "").split(","))),
        sort=getattr(args, "sort", None) or "",
        headers=not getattr(args, "no_headers", False),
        local=zone == "local" or (profile.local and zone != "utc"),
    )
    chosen = args.format or profile.format or FORMATS[0]
    if chosen not in FORMATS:
        raise Invalid(f"format of the profile: {chosen!r} is none of {', '.join(FORMATS)}")
    return Context(args, Output(chosen, clock.now, look), clock.now, profile)


def parse_instant(text: str, now: datetime) -> datetime:
    """A time as people write it: now, a span back from now (90s, 1h30m, 3d, 1w), a time of today
    (14:05, UTC), or RFC 3339. Raises Invalid."""
    if text.strip().lower() == "now":
        return now
    try:
        return now - timedelta(seconds=parse_duration_s(text))
    except ValueError:
        pass
    if _TIME_OF_DAY.fullmatch(text):
        at = datetime.combine(now.date(), time.fromisoformat(text), UTC)
        return at if at <= now else at - timedelta(days=1)
    try:
        at = datetime.fromisoformat(text)
    except ValueError as wrong:
        raise Invalid(
            f"{text!r} is not a valid time: write now, a span back from now (15m, 1h30m, 3d), a time of day "
            "in UTC (14:05) or a full time such as 2026-05-04T14:05:00Z"
        ) from wrong
    return at if at.tzinfo else at.replace(tzinfo=UTC)
