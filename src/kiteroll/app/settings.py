"""Sections of the configuration: settings with their bounds, and what other parts make of them."""

from collections.abc import Mapping
from datetime import timedelta
from pathlib import Path
from typing import Literal, Self
from urllib.parse import urlsplit

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from kiteroll.collect.limits import Limits as CollectLimits
from kiteroll.core.errors import Invalid
from kiteroll.core.findings.thresholds import Thresholds
from kiteroll.core.port_actions.guards import Limits
from kiteroll.core.port_actions.sweep import parse_network
from kiteroll.core.tracking.admission import AdmissionLimits
from kiteroll.core.tracking.tracking_rules import TrackingRules
from kiteroll.setting_types import FileName, Seconds


class Section(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Listen(Section):
    host: str = "127.0.0.1"
    """Addresses or names, several with commas between."""
    port: int = Field(default=8480, ge=1, le=65535)
    names: tuple[str, ...] = ()
    """Host names it is called by, beside addresses and the host name of the machine."""
    public_url: str = Field(default="", pattern=r"^(https?://\S+)?$")
    """Where people reach the console: links in alerts begin with it; empty: there are none."""
    certificate: FileName = None
    """PEM, with those of the authorities between, if there are any; read again when it changes."""
    key: FileName = None
    self_signed: bool = False
    """Make a certificate of its own, in data_dir."""
    plain_http: bool = False
    """Listen for other machines without TLS."""

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if (self.certificate is None) != (self.key is None):
            raise ValueError("certificate and key go together: give both, or neither")
        if self.certificate is not None and self.self_signed:
            raise ValueError("self_signed: there is a certificate already; leave one of the two out")
        if not self.hosts:
            raise ValueError("host: name at least one address, such as 127.0.0.1")
        return self

    @property
    def hosts(self) -> tuple[str, ...]:
        return tuple(filter(None, (one.strip().strip("[]") for one in self.host.split(","))))

    @property
    def called(self) -> tuple[str, ...]:
        """Host names it is called by."""
        public = urlsplit(self.public_url).hostname
        return self.names if public is None else (*self.names, public)

    @property
    def tls(self) -> bool:
        return self.self_signed or self.certificate is not None

    def url(self, wildcards: Mapping[str, str]) -> str:
        """Of the first address it listens on. `wildcards`: what to say for those that stand for all."""
        host = wildcards.get(self.hosts[0], self.hosts[0])
        shown = f"[{host}]" if ":" in host else host
        return f"{'https' if self.tls else 'http'}://{shown}:{self.port}"


class DatabaseSettings(Section):
    url: str = Field(default="", repr=False)
    """Empty: a private server under data_dir. Several hosts of one cluster with commas between."""
    standby: bool = False
    """Wait while another service has the database, and take over when it ends."""


class NodeSettings(Section):
    """How the services on one database reach each other: the one that tracks, and those that only answer."""

    url: str = Field(default="", max_length=255, pattern=r"^(https?://\S+)?$")
    """Of this one; empty: the first address it listens on, or the host name of the machine, and its port."""
    ca_file: FileName = None
    """What vouches for the others' certificates; empty: the authorities of the system."""


class CollectorSettings(Section):
    """Of `kiteroll collector run`, at a site."""

    name: str = Field(default="", max_length=64)
    site: str = Field(default="", max_length=64)


class TrackerSettings(Section):
    """Of `kiteroll tracker`."""

    area: str = Field(default="", max_length=64)
    """Whose readings it takes."""


class ReadingSettings(Section):
    interval_s: Seconds = Field(default=60.0, alias="interval", ge=5, le=86400)
    timeout_s: Seconds = Field(default=2.0, alias="timeout", ge=0.05, le=60)
    """For one answer of a switch."""
    tries: int = Field(default=3, ge=1, le=10)
    switch_timeout_s: Seconds = Field(default=60.0, alias="switch_timeout", ge=1, le=3600)
    """For everything asked of one switch in a reading."""
    max_rows: int = Field(default=200_000, ge=1000, le=5_000_000)
    concurrency: int = Field(default=64, ge=1, le=1000)
    """Switches read at the same time."""

    def limits(self) -> CollectLimits:
        return CollectLimits(
            timeout_s=self.timeout_s, tries=self.tries, total_s=self.switch_timeout_s, rows=self.max_rows
        )


class TrackingSettings(Section):
    hold_time_s: Seconds | None = Field(default=None, alias="hold_time", ge=0, le=30 * 86400)
    """None: three times the switch's ageing time."""
    new_addresses_per_port: int = Field(default=AdmissionLimits().per_port, ge=1, le=1_000_000)
    """In an hour; more are left out, and a finding says so."""
    endpoints: int = Field(default=AdmissionLimits().endpoints, ge=1000, le=50_000_000)
    """Known in all, at most."""

    def rules(self) -> TrackingRules:
        hold_time = None if self.hold_time_s is None else timedelta(seconds=self.hold_time_s)
        limits = AdmissionLimits(per_port=self.new_addresses_per_port, endpoints=self.endpoints)
        return TrackingRules(hold_time, limits)


class RetentionSettings(Section):
    """How long records are kept. Open stays are kept as long as they are open."""

    readings_s: Seconds = Field(default=30 * 86400.0, alias="readings", ge=3600)
    history_s: Seconds = Field(default=400 * 86400.0, alias="history", ge=86400)


_DEFAULTS = Thresholds()


class FindingSettings(Section):
    """What the thresholds mean: `kiteroll.core.findings.thresholds`."""

    flap_moves: int = Field(default=_DEFAULTS.flap_moves, ge=2, le=100)
    flap_window_s: Seconds = Field(
        default=_DEFAULTS.flap_window.total_seconds(), alias="flap_window", ge=30, le=86400
    )
    moved_together: int = Field(default=_DEFAULTS.moved_together, ge=2, le=1000)
    path_addresses: int = Field(default=_DEFAULTS.path_addresses, ge=3, le=1000)
    loop_addresses: int = Field(default=_DEFAULTS.loop_addresses, ge=3, le=1000)
    loop_window_s: Seconds = Field(
        default=_DEFAULTS.loop_window.total_seconds(), alias="loop_window", ge=30, le=3600
    )
    moved_memory_s: Seconds = Field(
        default=_DEFAULTS.moved_memory.total_seconds(), alias="moved_memory", ge=600, le=90 * 86400
    )
    ageing_lasting_s: Seconds = Field(
        default=_DEFAULTS.ageing_lasting.total_seconds(), alias="ageing_lasting", ge=0, le=86400
    )
    ageing_long_s: Seconds = Field(
        default=_DEFAULTS.ageing_long.total_seconds(), alias="ageing_long", ge=600, le=2_000_000
    )
    flood_addresses: int = Field(default=_DEFAULTS.flood_addresses, ge=5, le=100_000)
    silent_after_s: Seconds = Field(
        default=_DEFAULTS.silent_after.total_seconds(), alias="silent_after", ge=10
    )
    ip_conflict_window_s: Seconds = Field(
        default=_DEFAULTS.ip_conflict_window.total_seconds(), alias="ip_conflict_window", ge=60, le=86400
    )
    multiple_ips_after_s: Seconds = Field(
        default=_DEFAULTS.multiple_ips_after.total_seconds(), alias="multiple_ips_after", ge=0, le=30 * 86400
    )
    port_rule_delay_s: Seconds = Field(
        default=_DEFAULTS.port_rule_delay.total_seconds(), alias="port_rule_delay", ge=0
    )
    expiry_notice_s: Seconds = Field(
        default=_DEFAULTS.expiry_notice.total_seconds(), alias="expiry_notice", ge=0, le=365 * 86400
    )
    table_share: float = Field(default=_DEFAULTS.table_share, ge=0.1, le=1)
    clear_after_s: Seconds = Field(
        default=_DEFAULTS.clear_after.total_seconds(), alias="clear_after", ge=10, le=30 * 86400
    )

    def thresholds(self) -> Thresholds:
        return Thresholds(
            flap_moves=self.flap_moves,
            flap_window=timedelta(seconds=self.flap_window_s),
            moved_together=self.moved_together,
            path_addresses=self.path_addresses,
            loop_addresses=self.loop_addresses,
            loop_window=timedelta(seconds=self.loop_window_s),
            moved_memory=timedelta(seconds=self.moved_memory_s),
            ageing_lasting=timedelta(seconds=self.ageing_lasting_s),
            ageing_long=timedelta(seconds=self.ageing_long_s),
            flood_addresses=self.flood_addresses,
            silent_after=timedelta(seconds=self.silent_after_s),
            ip_conflict_window=timedelta(seconds=self.ip_conflict_window_s),
            multiple_ips_after=timedelta(seconds=self.multiple_ips_after_s),
            port_rule_delay=timedelta(seconds=self.port_rule_delay_s),
            expiry_notice=timedelta(seconds=self.expiry_notice_s),
            table_share=self.table_share,
            clear_after=timedelta(seconds=self.clear_after_s),
        )


class ImportSettings(Section):
    folder: Path | None = None
    """Files put here are imported; None: no folder is watched."""


class NotificationSettings(Section):
    """Notifications that switches send (linkUp, linkDown)."""

    enabled: bool = False
    host: str = "0.0.0.0"  # switches send from anywhere; senders outside the inventory are ignored
    port: int = Field(default=162, ge=1, le=65535)
    communities: tuple[str, ...] = ()
    """Communities that v2c notifications may say, beside the one their switch is read with."""
    debounce_s: Seconds = Field(default=3.0, alias="debounce", ge=0, le=300)
    """A switch is read this long after its last notification."""


class DnsSettings(Section):
    """Host names of IP addresses, looked up in the DNS (PTR records)."""

    enabled: bool = False
    servers: tuple[str, ...] = ()
    """ADDRESS or ADDRESS:PORT; empty: those of the system."""
    rate: float = Field(default=5.0, gt=0, le=1000)
    """Look-ups a second, at most."""
    ttl_s: Seconds = Field(default=86400.0, alias="ttl", ge=60)
    """A name is looked up again after this."""


Level = Literal["DEBUG", "INFO", "WARNING", "ERROR"]


class LogSettings(Section):
    level: Level = "INFO"
    levels: dict[str, Level] = Field(default_factory=dict)
    """Of parts, such as collect or app.alerts, where they differ."""


class ActingSettings(Section):
    """Acting on ports, of switches that have a credential to write with."""

    ports_per_hour: int = Field(default=20, ge=1, le=10_000)
    """Closed on the whole network, whoever wants it."""
    by_rule_per_hour: int = Field(default=5, ge=0, le=10_000)
    """Of those, closed by rules alone; then that stops, and a person is called."""
    share_of_switch: float = Field(default=0.25, gt=0, le=1)
    """Of the ports of a switch that are in use, closed at the same time."""
    reopens: int = Field(default=3, ge=0, le=100)
    """How often within a day the timer opens a port for the same breach; then it is held closed."""
    ask_networks: tuple[str, ...] = ()
    """Networks whose hosts may be asked to be heard."""
    ask_rate: float = Field(default=20.0, gt=0, le=200)
    """Addresses asked a second, at most."""

    @field_validator("ask_networks")
    @classmethod
    def _networks(cls, texts: tuple[str, ...]) -> tuple[str, ...]:
        for text in texts:
            try:
                parse_network(text)
            except Invalid as wrong:
                raise ValueError(str(wrong)) from wrong
        return texts

    @property
    def limits(self) -> Limits:
        return Limits(
            ports_per_hour=self.ports_per_hour,
            by_rule_per_hour=self.by_rule_per_hour,
            share_of_switch=self.share_of_switch,
        )


class TraceSettings(Section):
    """Traces of calls and readings, sent to a collector by OTLP over HTTP."""

    endpoint: str = Field(default="", pattern=r"^(https?://\S+)?$")
    """URL of the collector's traces, such as http://127.0.0.1:4318/v1/traces; empty: none are made."""
    headers: dict[str, str] = Field(default_factory=dict, repr=False)
    """Sent with them, such as an Authorization."""
    share: float = Field(default=1.0, ge=0, le=1)
    """Of traces, how many are kept; those that begin elsewhere are kept as they say."""


class OpenIdSettings(Section):
    """Signing in by OpenID Connect."""

    issuer: str = Field(
        default="", pattern=r"^(https://\S+|http://(127\.0\.0\.1|localhost|\[::1\])(:\d+)?(/\S*)?)?$"
    )
    """Empty: nobody signs in that way."""
    name: str = Field(default="OpenID Connect", max_length=64)
    """What the button says."""
    client_id: str = ""
    client_secret: str = Field(default="", repr=False)
    scopes: tuple[str, ...] = ("profile", "email")
    """Beside openid."""
    groups_claim: str = "groups"
    administrators: tuple[str, ...] = ()
    """Groups; "*" is everybody. With none at all only those sign in whom an administrator gave an account."""
    operators: tuple[str, ...] = ()
    viewers: tuple[str, ...] = ()
    act_on_ports: tuple[str, ...] = ()
    """Groups that may have ports closed and opened, beside being operators or administrators."""
    ca_file: FileName = None

    @property
    def decides_on_roles(self) -> bool:
        return bool(self.administrators or self.operators or self.viewers)
