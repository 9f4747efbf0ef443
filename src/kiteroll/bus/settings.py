"""Settings of the message engine (NATS), section `bus` of the configuration."""

from pydantic import BaseModel, ConfigDict, Field

from kiteroll.setting_types import FileName, Seconds


class BusSettings(BaseModel):
    """The message engine (NATS) between collectors at sites and the centre."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    url: str = Field(default="", pattern=r"^((nats|tls)://[^\s,]+(,\s*(nats|tls)://[^\s,]+)*)?$")
    """Of its servers, with commas between; empty: there is none, and every switch is read from here."""
    user: str = ""
    password: str = Field(default="", repr=False)
    ca_file: FileName = None
    """Authorities its certificate may be of; with it, or with tls://, TLS is spoken."""
    certificate: FileName = None
    key: FileName = None
    keep_s: Seconds = Field(default=3 * 86400.0, alias="keep", ge=3600, le=90 * 86400)
    """Readings of a site are kept this long while its line is down; then the oldest are dropped."""
    keep_octets: int = Field(default=1 << 30, ge=1 << 20)
    """The same, of one site, in octets."""
    replicas: int = Field(default=1, ge=1, le=5)
    """Servers of the engine that keep a copy of each reading."""
