"""Alerts: targets, routes, planned work, and what was sent."""

import re
from typing import Annotated, Any, Literal, Self
from zoneinfo import ZoneInfo, available_timezones

from pydantic import AfterValidator, AnyHttpUrl, Field, model_validator

from kiteroll.schemas.base import Instant, RequestModel, ResponseModel
from kiteroll.schemas.findings import FindingKind, Severity
from kiteroll.schemas.types import Host, SwitchName

_MAIL = re.compile(r"[^\s@<>,;]+@[^\s@<>,;]+")
_TcpPort = Annotated[int, Field(ge=1, le=65535)]
CaFile = Annotated[str, Field(max_length=1000)]
Name64 = Annotated[str, Field(min_length=1, max_length=64)]


def _url(text: str) -> str:
    if not text.startswith(("http://", "https://")):
        raise ValueError(f"{text!r} does not begin with https:// or http://")
    AnyHttpUrl(text)  # says what else is wrong with it
    return text


def _mail(text: str) -> str:
    if not _MAIL.fullmatch(text):
        raise ValueError(f"{text!r} is not a mail address, such as noc@example.com")
    return text


def _zone(text: str) -> str:
    if text not in available_timezones():
        raise ValueError(f"{text!r} is not a time zone, such as Europe/Oslo")
    return str(ZoneInfo(text))


MailAddress = Annotated[str, Field(max_length=254), AfterValidator(_mail)]


class WebhookSettings(RequestModel):
    kind: Literal["webhook"]
    url: Annotated[str, Field(max_length=2000), AfterValidator(_url)]
    template: Annotated[str, Field(max_length=10_000)] = ""
    """Text with $subject, $text, $count, $severity, $reason, $kind, $title, $switch, $port, $mac, $link;
    empty: the whole as JSON."""
    content_type: Annotated[str, Field(pattern=r"^[\w.+-]+/[\w.+-]+(;.*)?$", max_length=100)] = (
        "application/json"
    )
    ca_file: CaFile = ""
    """PEM file, on the machine of the service, of the authorities to trust; empty: those of the system."""


class MailSettings(RequestModel):
    kind: Literal["mail"]
    host: Host
    port: _TcpPort = 587
    security: Literal["starttls", "tls", "none"] = "starttls"
    sender: MailAddress
    recipients: Annotated[list[MailAddress], Field(min_length=1, max_length=50)]
    user: Annotated[str, Field(max_length=254)] = ""
    ca_file: CaFile = ""


class SyslogSettings(RequestModel):
    kind: Literal["syslog"]
    host: Host
    port: _TcpPort = 6514
    transport: Literal["udp", "tcp", "tls"] = "tls"
    facility: Annotated[int, Field(ge=0, le=23)] = 16
    """RFC 5424; 16 is local0."""
    ca_file: CaFile = ""


class FolderSettings(RequestModel):
    kind: Literal["folder"]
    path: Annotated[str, Field(pattern=r"^/", max_length=1000)]
    """On the machine of the service; whole, from / on."""


TargetSettings = Annotated[
    WebhookSettings | MailSettings | SyslogSettings | FolderSettings, Field(discriminator="kind")
]


class AlertTargetSettings(RequestModel):
    settings: TargetSettings
    secret: Annotated[str, Field(max_length=1000)] | None = Field(default=None, repr=False)
    """What a webhook is signed with, or the password of a mail user; null keeps what is set, empty takes it
    away."""
    enabled: bool = True
    audit_log: bool = False
    """Whether every entry of the audit log is sent there too."""


class AlertTarget(ResponseModel):
    """Where alerts are delivered to."""

    name: str
    settings: TargetSettings
    has_secret: bool
    enabled: bool
    audit_log: bool
    waiting: int
    """Messages that are not delivered yet."""
    last_sent_at: Instant | None
    failing_since: Instant | None
    """Null: the last delivery went well, or there was none since the service started."""
    failures: int
    next_try_at: Instant | None
    error: str
    """Of the last delivery, if that failed."""


class AlertTest(ResponseModel):
    delivered: bool
    error: str
    duration_s: float


class RouteHours(RequestModel):
    days: Annotated[list[Annotated[int, Field(ge=0, le=6)]], Field(min_length=1, max_length=7)] = Field(
        default_factory=lambda: list(range(7))
    )
    """0 is Monday."""
    since: Annotated[str, Field(pattern=r"^([01]\d|2[0-3]):[0-5]\d$")] = "00:00"
    until: Annotated[str, Field(pattern=r"^([01]\d|2[0-3]):[0-5]\d$")] = "00:00"
    """Earlier than `since`: over midnight; the same: all day."""
    zone: Annotated[str, Field(max_length=64), AfterValidator(_zone)] = "UTC"


class AlertRouteSettings(RequestModel):
    """Which alerts go where; what is empty leaves nothing out."""

    target: Name64
    severity: Severity = "warning"
    """And what is worse."""
    kinds: list[FindingKind] = Field(default_factory=list, max_length=100)
    sites: list[Name64] = Field(default_factory=list, max_length=1000)
    groups: list[Name64] = Field(default_factory=list, max_length=1000)
    hours: RouteHours = RouteHours()
    send_cleared: bool = True
    remind_after_s: Annotated[int, Field(ge=60, le=30 * 86400)] | None = None
    escalate_after_s: Annotated[int, Field(ge=60, le=30 * 86400)] | None = None
    escalate_to: Name64 | None = None
    enabled: bool = True

    @model_validator(mode="after")
    def _escalates_whole(self) -> Self:
        if (self.escalate_after_s is None) != (self.escalate_to is None):
            raise ValueError("escalate_to: it goes with escalate_after_s; give both, or neither")
        return self


class AlertRoute(ResponseModel):
    name: str
    target: str
    severity: Severity
    kinds: list[str]
    sites: list[str]
    groups: list[str]
    hours: RouteHours
    send_cleared: bool
    remind_after_s: int | None
    escalate_after_s: int | None
    escalate_to: str | None
    enabled: bool
    set_at: Instant
    """What opened before is not sent by it."""


class NewPlannedWork(RequestModel):
    """While it lasts, findings there are recorded, and no alerts are sent. All that is given must fit; where
    nothing is given, it is everywhere."""

    begins_at: Instant | None = None
    """None: now."""
    ends_at: Instant
    site: Annotated[str, Field(max_length=64)] = ""
    switch: SwitchName | None = None
    kind: FindingKind | None = None
    reason: Annotated[str, Field(min_length=1, max_length=255)]


class PlannedWork(ResponseModel):
    id: int
    begins_at: Instant
    ends_at: Instant
    site: str
    switch: str
    kind: str
    reason: str
    planned_by: str
    state: Literal["coming", "running", "over"]


AlertState = Literal["waiting", "sending", "sent", "counted", "failed"]


class Alert(ResponseModel):
    """A message to one target, and what became of it."""

    id: int
    target: str
    route: str
    reason: Literal["opened", "reminder", "escalated", "over", "test", "audit"]
    finding: int | None
    title: str
    content: dict[str, Any]
    made_at: Instant
    state: AlertState
    """`counted`: too many waited, and a delivery said how many; `failed`: given up after a day."""
    attempts: int
    next_try_at: Instant | None
    ended_at: Instant | None
    possibly_repeated: bool
    """The service ended while it was being sent: it may have arrived twice."""
    error: str
