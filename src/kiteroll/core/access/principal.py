"""Who makes a call: an account, by a session or a token, and what it may do."""

from dataclasses import dataclass, field

from kiteroll.core.access.rights import Right, Role
from kiteroll.core.errors import KiteRollError


class NotAllowed(KiteRollError):
    """Signed in, but without the right that a call needs."""

    code = "not_allowed"


@dataclass(frozen=True, slots=True, kw_only=True)
class Principal:
    account: int
    name: str
    """As changes are signed."""
    role: Role
    rights: frozenset[Right]
    sites: frozenset[str] | None = None
    """Whose switches it may change; None: all. It sees every site."""
    token: str | None = None
    """Name of the token it came with; None: a session."""
    must_change_password: bool = False
    session: str | None = field(default=None, repr=False)
    """Identifier of the session, hashed."""

    @property
    def via(self) -> str:
        return "session" if self.token is None else f"token {self.token}"

    def require(self, right: Right) -> None:
        """Raises NotAllowed."""
        if self.must_change_password and right is not Right.ACCOUNT:
            raise NotAllowed(f"{self.name} has an initial password: change it before anything else")
        if right in self.rights:
            return
        if self.token is not None:
            raise NotAllowed(
                f"the token {self.token!r} of {self.name} does not carry the right {right.value!r}"
            )
        raise NotAllowed(f"{self.name} is {self.role} and does not have the right {right.value!r}")

    def require_site(self, site: str, what: str) -> None:
        """May it change what belongs to a site? Raises NotAllowed."""
        if self.sites is not None and site not in self.sites:
            raise NotAllowed(f"{self.name} may change {_sites(self.sites)} only; {what} is at {_site(site)}")

    def require_every_site(self, what: str) -> None:
        """Of what belongs to no one site. Raises NotAllowed."""
        if self.sites is not None:
            raise NotAllowed(f"{self.name} may change {_sites(self.sites)} only; {what} is not of one site")


def _sites(names: frozenset[str]) -> str:
    return (
        "the site " + ", ".join(sorted(names)) if len(names) == 1 else "the sites " + ", ".join(sorted(names))
    )


def _site(name: str) -> str:
    return f"the site {name}" if name else "no site"
