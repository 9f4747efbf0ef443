"""Signing in, tokens, sessions and the audit log, on a real database."""

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path

import pytest
from argon2 import PasswordHasher
from sqlalchemy import text

from kiteroll.app.access.access_book import AccessBook
from kiteroll.app.access.accounts import Accounts
from kiteroll.app.access.audit_log import DONE, AuditFilters, AuditLog, without_secrets
from kiteroll.app.access.first_start import ensure_way_in
from kiteroll.app.access.passwords import Passwords
from kiteroll.app.access.sign_in import NotSignedIn, SignIn, TooManyTries
from kiteroll.app.access.tokens import Tokens
from kiteroll.app.events import EventBus
from kiteroll.core.access.principal import NotAllowed
from kiteroll.core.access.rights import Right
from kiteroll.core.errors import ConfigError, Conflict, Invalid, NotFound
from kiteroll.core.model.paging import PageAsk
from kiteroll.store.database import Database
from tests.support.clock import ManualClock

CHEAP = Passwords(PasswordHasher(time_cost=1, memory_cost=8, parallelism=1))
HERE = ("192.0.2.1", "a browser")
GOOD = "over the tarn by ferry"


@dataclass
class Access:
    """The parts on one database; made again, they are the service after a restart."""

    database: Database
    clock: ManualClock
    data_dir: Path

    def __post_init__(self) -> None:
        ensure_way_in(self.database, self.clock, self.data_dir, CHEAP)
        self.book = AccessBook(self.database, self.clock)
        self.book.reload()
        self.sign_in = SignIn(self.database, self.clock, CHEAP, self.book)
        self.accounts = Accounts(self.database, self.clock, CHEAP, self.book)
        self.tokens = Tokens(self.database, self.clock, self.book)
        self.audit = AuditLog(self.database, self.clock, EventBus())

    @property
    def token(self) -> str:
        return (self.data_dir / "token").read_text().strip()

    def again(self) -> "Access":
        return Access(self.database, self.clock, self.data_dir)


@pytest.fixture
def access(database: Database, tmp_path: Path) -> Iterator[Access]:
    yield Access(database, ManualClock(), tmp_path)


def test_the_first_start_makes_one_administrator_and_a_way_in_is_always_there(access: Access) -> None:
    (first,) = access.accounts.all()
    initial = (access.data_dir / "admin-password").read_text().strip()
    for name in ("token", "admin-password"):
        assert (access.data_dir / name).stat().st_mode & 0o777 == 0o600
    _, principal = access.sign_in.with_password("Admin", initial, *HERE)
    assert principal.must_change_password and first.must_change_password
    access.accounts.change_own_password(principal, initial, GOOD)
    machine = access.sign_in.check(f"Bearer {access.token}", None, "")
    assert Right.ADMINISTER in machine.rights and Right.ACT_ON_PORTS not in machine.rights

    again = access.again()
    assert again.sign_in.check(f"Bearer {access.token}", None, "").name == "admin"
    assert not (access.data_dir / "admin-password").exists(), "it is not the password any more"

    lost = access.token
    (access.data_dir / "token").unlink()
    new = access.again()
    assert new.sign_in.check(f"Bearer {new.token}", None, "").name == "admin"
    with pytest.raises(NotSignedIn):
        new.sign_in.check(f"Bearer {lost}", None, "")
    (entry,) = new.audit.page(AuditFilters(action="token."), PageAsk(limit=10)).items
    assert (entry.by, entry.action) == ("service", "token.recover")
    (access.data_dir / "token").write_text("")
    with pytest.raises(ConfigError, match="it is empty"):
        access.again()


def test_a_session_ends_for_good_where_it_is_signed_out(access: Access) -> None:
    kept, _ = access.sign_in.with_token(access.token, *HERE)
    ended, principal = access.sign_in.with_token(access.token, *HERE)
    access.sign_in.sign_out(principal)
    for one in (access, access.again()):
        assert one.sign_in.check(None, kept, "").name == "admin"
        with pytest.raises(NotSignedIn, match="has ended"):
            one.sign_in.check(None, ended, "")
    (row,) = access.tokens.sessions(principal)
    assert (row.opened_from, row.agent, row.owner) == (*HERE, "admin")
    access.clock.advance(13 * 3600)
    with pytest.raises(NotSignedIn):
        access.sign_in.check(None, kept, "")


def test_neither_tokens_nor_passwords_can_be_tried_one_after_another(access: Access) -> None:
    access.accounts.add("ida", {"role": "operator"}, GOOD)
    for _ in range(10):
        with pytest.raises(NotSignedIn, match="do not fit together"):
            access.sign_in.with_password("ida", "a wild guess", "192.0.2.9", "")
    for password in ("a wild guess", GOOD):
        with pytest.raises(TooManyTries, match="wait 10 s"):
            access.sign_in.with_password("ida", password, "192.0.2.77", "")
    assert access.sign_in.check(f"Bearer {access.token}", None, "192.0.2.9").name == "admin"
    access.clock.advance(10)
    assert access.sign_in.with_password("ida", GOOD, "192.0.2.77", "")[1].name == "ida"
    with pytest.raises(NotSignedIn, match="do not fit together"):
        access.sign_in.with_password("nobody", GOOD, *HERE)


def test_who_is_disabled_demoted_or_reset_is_so_at_once(access: Access) -> None:
    _, initial = access.accounts.add("ida", {"role": "operator"}, None)
    assert initial is not None
    session, ida = access.sign_in.with_password("ida", initial, *HERE)
    access.accounts.change_own_password(ida, initial, GOOD)
    ida = access.sign_in.check(None, session, "")
    _, secret = access.tokens.add(ida, "night", {Right.OPERATE}, None)
    assert access.sign_in.check(f"Bearer {secret}", None, "").rights == {Right.VIEW, Right.OPERATE}
    access.accounts.change("ida", {"role": "viewer"})
    assert access.sign_in.check(f"Bearer {secret}", None, "").rights == {Right.VIEW}
    access.accounts.change("ida", {"enabled": False})
    for authorization, cookie in ((f"Bearer {secret}", None), (None, session)):
        with pytest.raises(NotSignedIn):
            access.sign_in.check(authorization, cookie, "")
    with pytest.raises(NotSignedIn):
        access.sign_in.with_password("ida", GOOD, *HERE)
    access.accounts.change("ida", {"enabled": True})
    with pytest.raises(NotSignedIn):  # its sessions ended with it
        access.sign_in.check(None, session, "")
    made = access.accounts.reset_password("ida")
    assert access.sign_in.with_password("ida", made, *HERE)[1].must_change_password


def test_tokens_end_are_revoked_and_belong_to_one(access: Access) -> None:
    admin = access.sign_in.check(f"Bearer {access.token}", None, "192.0.2.5")
    access.accounts.add("ida", {"role": "operator"}, GOOD)
    ida = access.sign_in.with_password("ida", GOOD, *HERE)[1]
    until = access.clock.now() + timedelta(days=1)
    row, secret = access.tokens.add(ida, "report", (), until)
    with pytest.raises(Conflict, match="revoke it first"):
        access.tokens.add(ida, "report", (), None)
    with pytest.raises(NotAllowed, match="no token of theirs"):
        access.tokens.add(ida, "more", {Right.ADMINISTER}, None)
    with pytest.raises(Invalid, match="in the past"):
        access.tokens.add(ida, "late", (), access.clock.now())
    assert [one.name for one in access.tokens.all(ida)] == ["report"]
    machine = next(one for one in access.tokens.all(admin) if one.owner == "admin")
    assert machine.last_used_from == "192.0.2.5"
    with pytest.raises(NotFound):
        access.tokens.revoke(ida, machine.id)
    session, _ = access.sign_in.with_token(secret, *HERE)
    access.tokens.revoke(admin, row.id)
    with pytest.raises(NotSignedIn):
        access.sign_in.check(None, session, "")
    _, another = access.tokens.add(ida, "report", (), until)
    access.clock.advance(2 * 86400)
    with pytest.raises(NotSignedIn):
        access.sign_in.check(f"Bearer {another}", None, "")


def test_somebody_who_administers_is_always_left(access: Access) -> None:
    for attempt in ({"role": "viewer"}, {"enabled": False}):
        with pytest.raises(Conflict, match="nobody would be left"):
            access.accounts.change("admin", attempt)
    with pytest.raises(Conflict, match="nobody would be left"):
        access.accounts.remove("admin")
    access.accounts.add("mara", {"role": "administrator"}, GOOD)
    with pytest.raises(Conflict, match="already"):
        access.accounts.add("MARA", {"role": "viewer"}, GOOD)
    access.accounts.remove("admin")
    assert [one.name for one in access.accounts.all()] == ["mara"]


@pytest.mark.parametrize(
    ("password", "why"),
    [
        ("short", "12 to 200"),
        ("x" * 201, "12 to 200"),
        ("aaaaaaaaaaaa", "few different"),
        ("Ida-ida-ida-1", "name"),
    ],
)
def test_passwords_that_are_easily_guessed_are_refused(password: str, why: str) -> None:
    with pytest.raises(Invalid, match=why):
        CHEAP.hash(password, "ida")


def test_the_log_is_one_chain_whoever_writes_and_shows_what_was_done_to_it(access: Access) -> None:
    logs = [
        access.audit,
        access.again().audit,
        access.again().audit,
    ]  # of processes that know nothing of each other

    def write(number: int) -> None:
        what = {"n": number, "text": "é"}
        logs[number % 3].append(
            DONE, "test.write", str(number), principal=None, client="", by="ida", before=what, after=[None]
        )

    with ThreadPoolExecutor(8) as pool:
        list(pool.map(write, range(40)))
    verdict = access.audit.verify()
    assert (verdict.entries, verdict.broken_at) == (40, None)
    page = access.audit.page(AuditFilters(by="ida", text='"n": 7,'), PageAsk(limit=5))
    assert [one.subject for one in page.items] == ["7"]
    with access.database.engine.begin() as connection:
        connection.execute(text("UPDATE audit_entry SET done_by = 'joss' WHERE number = 11"))
    assert access.audit.verify().broken_at == 11


def test_what_is_secret_is_not_kept() -> None:
    sent = {"access": {"version": "2c", "community": "tarn-read"}, "auth_password": "x", "text": "y" * 3000}
    kept = without_secrets(sent)
    assert (
        kept["access"] == {"version": "2c", "community": "(secret)"} and kept["auth_password"] == "(secret)"
    )
    assert kept["text"].endswith("(3000 characters)")
