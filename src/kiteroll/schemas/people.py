"""People: signing in, accounts, tokens, sessions, the audit log."""

from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from kiteroll.schemas.base import Instant, RequestModel, ResponseModel
from kiteroll.schemas.types import Name

RoleName = Literal["viewer", "operator", "administrator"]
RightName = Literal["view", "account", "operate", "act-on-ports", "administer"]
UserName = Annotated[str, Field(min_length=1, max_length=64, pattern=r"^[A-Za-z0-9][A-Za-z0-9._@-]*$")]
SiteName = Annotated[str, Field(max_length=64)]
NewPassword = Annotated[str, Field(min_length=1, max_length=200)]
"""How long it must be is checked by the service, which says so."""


class SignIn(RequestModel):
    """With name and password, or with a token."""

    name: Annotated[str, Field(max_length=64)] | None = None
    password: Annotated[str, Field(min_length=1, max_length=512)] | None = Field(default=None, repr=False)
    token: Annotated[str, Field(min_length=1, max_length=512)] | None = Field(default=None, repr=False)

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        if (self.token is None) == (self.name is None) or (self.name is None) != (self.password is None):
            raise ValueError("give name and password, or a token")
        return self


class Session(ResponseModel):
    signed_in: bool
    name: str = ""
    role: RoleName | None = None
    rights: list[RightName] = Field(default_factory=list)
    sites: list[str] | None = None
    """Whose switches may be changed; null: all."""
    must_change_password: bool = False
    """The password is an initial one: nothing else can be done before it is changed."""
    openid: str = ""
    """What the OpenID Connect provider is called; empty: there is none."""
    latest_event: str = ""
    """Id of the event the live stream had come to: `after` for a stream that misses nothing from here on."""


class PasswordChange(RequestModel):
    present: Annotated[str, Field(min_length=1, max_length=512)] = Field(repr=False)
    password: NewPassword = Field(repr=False)


class User(ResponseModel):
    """An account of a person, or of something that acts like one."""

    name: str
    full_name: str
    role: RoleName
    acts_on_ports: bool
    """May have ports of switches closed and opened."""
    sites: list[str] | None
    """Whose switches it may change; null: all. It sees every site."""
    rights: list[RightName]
    enabled: bool
    has_password: bool
    must_change_password: bool
    openid_subject: str | None
    created_at: Instant
    signed_in_at: Instant | None


class NewUser(RequestModel):
    name: UserName
    full_name: Annotated[str, Field(max_length=255)] = ""
    role: RoleName = "viewer"
    acts_on_ports: bool = False
    sites: list[SiteName] | None = None
    password: NewPassword | None = Field(default=None, repr=False)
    """None: an initial one is made, which the person has to change."""
    openid_subject: Annotated[str, Field(min_length=1, max_length=255)] | None = None
    """`sub` of the person at the OpenID Connect provider."""

    @model_validator(mode="after")
    def _administers_all(self) -> Self:
        if self.role == "administrator" and self.sites is not None:
            raise ValueError("sites: an administrator is not restricted to sites; choose another role")
        return self


class UserAdded(ResponseModel):
    user: User
    initial_password: str | None = Field(default=None, repr=False)
    """Shown this once."""


class UserChange(RequestModel):
    """Only what is given changes; null for `sites` lifts a restriction."""

    full_name: Annotated[str, Field(max_length=255)] | None = None
    role: RoleName | None = None
    acts_on_ports: bool | None = None
    sites: list[SiteName] | None = None
    enabled: bool | None = None
    openid_subject: Annotated[str, Field(min_length=1, max_length=255)] | None = None


class InitialPassword(ResponseModel):
    name: str
    initial_password: str = Field(repr=False)


class NewToken(RequestModel):
    name: Name
    scopes: tuple[RightName, ...] = ("view",)
    """Rights it carries; seeing goes with all of them."""
    expires_at: Instant | None = None


class Token(ResponseModel):
    """A token of a program, without its secret."""

    id: int
    owner: str
    name: str
    scopes: list[RightName]
    state: Literal["valid", "expired", "revoked"]
    created_at: Instant
    expires_at: Instant | None
    last_used_at: Instant | None
    last_used_from: str


class TokenAdded(ResponseModel):
    token: Token
    secret: str = Field(repr=False)
    """Shown this once."""


class OpenSession(ResponseModel):
    id: int
    owner: str
    opened_at: Instant
    opened_from: str
    agent: str
    """What the browser says it is."""
    with_token: bool
    last_used_at: Instant
    expires_at: Instant
    own: bool
    """The one that asks."""


class AuditEntry(ResponseModel):
    number: int
    at: Instant
    by: str
    via: str
    """A session, or which token."""
    client: str
    """Address it came from."""
    action: str
    subject: str
    stage: Literal["begun", "done", "failed"]
    """`begun`: the service ended while it was worked on; it may or may not be done."""
    before: Any
    after: Any
    note: str
    call: str
    digest_before: str
    digest: str


class AuditVerdict(ResponseModel):
    intact: bool
    entries: int
    last_digest: str
    broken_at: int | None
    """Number of the first entry that does not fit."""
    why: str


class KeyRotated(ResponseModel):
    sealed_again: int
    """Secrets that are sealed with the new key."""
