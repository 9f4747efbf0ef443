"""Signing in by OpenID Connect: the service, a browser's requests, and a provider on loopback."""

import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
from joserfc.jwk import ECKey

from kiteroll.app.config import load_config
from kiteroll.client import add_switch, audit_log, change_user, remove_user, users
from kiteroll.core.errors import ConfigError
from kiteroll.schemas.api import NewSwitch, User, UserChange
from tests.support.harness import Service
from tests.support.openid_provider import CLIENT_ID, CLIENT_SECRET, OpenIdStandIn
from tests.support.ports import free_tcp_port

ROLES = 'administrators = ["netops"]\noperators = ["night-shift"]\nact_on_ports = ["night-shift"]\n'


@pytest.fixture(scope="module")
def provider() -> Iterator[OpenIdStandIn]:
    stand_in = OpenIdStandIn()
    yield stand_in
    stand_in.close()


@pytest.fixture(scope="module")
def service(provider: OpenIdStandIn, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Service]:
    folder, port = tmp_path_factory.mktemp("openid"), free_tcp_port()
    config = folder / "kiteroll.toml"
    config.write_text(
        f'[listen]\npublic_url = "http://127.0.0.1:{port}"\n[openid]\nissuer = "{provider.issuer}"\n'
        f'name = "Tarn ID"\nclient_id = "{CLIENT_ID}"\n{ROLES}'
    )
    secret = {"KITEROLL_OPENID_CLIENT_SECRET": CLIENT_SECRET}
    made = Service(folder / "data", port, extra=("--config", str(config)), environment=secret)
    made.start()
    yield made
    assert made.end() == 0


@pytest.fixture(autouse=True)
def _as_before(provider: OpenIdStandIn, service: Service) -> Iterator[None]:
    provider.claims, provider.refuses = {}, ""
    yield
    with service.client() as kite:
        for one in kite.all(users()):
            if one.openid_subject:
                kite.send(remove_user(one.name))


def browser(service: Service) -> httpx.Client:
    return service.http(follow_redirects=True)


def sign_in(provider: OpenIdStandIn, service: Service, **claims: Any) -> tuple[dict[str, Any], str]:
    """What the service then says of the session, and why it refused."""
    provider.claims = {"preferred_username": "ida", "name": "Ida Brandt", **claims}
    with browser(service) as one:
        answer = one.get("/api/v1/session/openid")
        return one.get("/api/v1/session").json(), answer.url.params.get("refused", "")


def account(service: Service, name: str) -> User | None:
    with service.client() as kite:
        return next((one for one in kite.all(users()) if one.name == name), None)


def test_groups_there_are_roles_here_and_follow_them(provider: OpenIdStandIn, service: Service) -> None:
    session, refused = sign_in(provider, service, groups=["night-shift", "choir"])
    assert (session["name"], session["role"], refused) == ("ida", "operator", "")
    assert "act-on-ports" in session["rights"] and session["openid"] == "Tarn ID"
    made = account(service, "ida")
    assert made is not None and (made.full_name, made.openid_subject, made.has_password) == (
        "Ida Brandt",
        "u-1",
        False,
    )
    with service.client() as kite:
        kite.send(add_switch(NewSwitch(name="quay-1", source="files", site="Quays")))
        kite.send(change_user("ida", UserChange(sites=["Quays"])))
        (entry,) = kite.each(audit_log(action="session.open", by="ida"))
        assert entry.note == "Tarn ID"
    assert sign_in(provider, service, groups=["night-shift"])[0]["sites"] == ["Quays"]
    session, _ = sign_in(provider, service, groups=["netops"], preferred_username="renamed")
    assert (session["name"], session["role"], session["sites"]) == ("ida", "administrator", None)


@pytest.mark.parametrize(
    ("claims", "reported"),
    [
        ({"groups": ["choir"]}, "in none of the groups"),
        ({}, "in none of the groups"),
        ({"groups": ["netops"], "aud": "another"}, "for another service"),
        ({"groups": ["netops"], "aud": [CLIENT_ID, "b"], "azp": "b"}, "for another service"),
        ({"groups": ["netops"], "iss": "https://elsewhere.example"}, "cannot be believed"),
        ({"groups": ["netops"], "exp": int(time.time()) - 300}, "cannot be believed"),
        ({"groups": ["netops"], "nonce": "a replayed one"}, "cannot be believed"),
        ({"groups": ["netops"], "preferred_username": "admin"}, "not tied to you"),
    ],
)
def test_what_cannot_be_believed_opens_no_session(
    provider: OpenIdStandIn, service: Service, claims: dict[str, Any], reported: str
) -> None:
    session, refused = sign_in(provider, service, **claims)
    assert not session["signed_in"] and reported in refused
    assert account(service, "ida") is None


def test_the_browser_that_began_is_the_one_that_ends(provider: OpenIdStandIn, service: Service) -> None:
    provider.claims = {"groups": ["netops"]}
    with browser(service) as one, browser(service) as other:
        begun = one.get("/api/v1/session/openid", follow_redirects=False)
        back = one.get(begun.headers["location"], follow_redirects=False).headers["location"]
        stolen = other.get(back)
        assert "not begun in this browser" in stolen.url.params["refused"]
        forged = one.get(back.replace("state=", "state=x"))
        assert "begun elsewhere" in forged.url.params["refused"]
        assert not one.get("/api/v1/session").json()["signed_in"]
        provider.refuses = "access_denied"
        assert "access_denied" in one.get("/api/v1/session/openid").url.params["refused"]


def test_a_key_that_was_changed_is_fetched_and_a_forged_one_is_not_believed(
    provider: OpenIdStandIn, service: Service
) -> None:
    assert sign_in(provider, service, groups=["netops"])[0]["signed_in"]
    provider.key = ECKey.generate_key("P-256", {"kid": "two", "use": "sig", "alg": "ES256"})
    assert sign_in(provider, service, groups=["netops"])[0]["signed_in"]


def test_openid_needs_a_client_and_a_place_to_come_back_to(tmp_path: Path) -> None:
    file = tmp_path / "kiteroll.toml"
    file.write_text('[openid]\nissuer = "https://id.example"\n')
    with pytest.raises(ConfigError, match="public_url"):
        load_config(file, {})
    file.write_text('[openid]\nissuer = "http://id.example"\n')
    with pytest.raises(ConfigError, match=r"openid\.issuer"):
        load_config(file, {})
