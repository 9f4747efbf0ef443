"""Who may call what, over HTTP: roles, tokens, sites, and the log of it."""

from collections.abc import Iterator

import pytest

from kiteroll.api.app import make_app
from kiteroll.api.calls import CALLS, OPEN
from kiteroll.client import (
    ServiceError,
    add_token,
    add_user,
    audit_log,
    audit_verdict,
    change_own_password,
    change_rules,
    change_switch,
    change_user,
    read_now,
    remove_user,
    round_status,
    users,
)
from kiteroll.core.access.rights import Right, Role, rights_of
from kiteroll.schemas.api import NewToken, NewUser, RuleChange, RulesPatch, SwitchChange, UserChange
from tests.support.harness import Service, wait_until

GOOD = "over the tarn by ferry"
V1 = "/api/v1"


def _calls() -> dict[str, tuple[str, str]]:
    """Name of each call to its method and path, with names filled in that nothing has."""
    found = {"metrics": ("GET", "/metrics")}
    for path, operations in make_app().openapi()["paths"].items():
        for method, operation in operations.items():
            filled = path.replace("{mac}", "02:1a:ff:ff:ff:ff").replace("{number}", "0")
            filled = filled.replace("{prefix}", "021aff").replace("{file}", "nothing.csv")
            for name in ("{name}", "{port}", "{kind}"):
                filled = filled.replace(name, "nothing-there")
            found[operation["operationId"]] = (method.upper(), filled)
    return found


@pytest.fixture(scope="module")
def tokens(service: Service) -> Iterator[dict[str, str]]:
    """A token of each role with all its rights, and one of an administrator that may only see."""
    made = {}
    with service.client() as kite:
        for role in Role:
            kite.send(add_user(NewUser(name=f"a-{role}", role=role.value, password=GOOD)))
    for role in Role:
        with service.http() as browser:
            browser.post(f"{V1}/session", json={"name": f"a-{role}", "password": GOOD}).raise_for_status()
            scopes = sorted(rights_of(role))
            answer = browser.post(f"{V1}/tokens", json={"name": "all", "scopes": scopes})
            made[role.value] = answer.json()["secret"]
            if role is Role.ADMINISTRATOR:
                made["seeing"] = browser.post(f"{V1}/tokens", json={"name": "see"}).json()["secret"]
    yield made
    with service.client() as kite:
        for role in Role:
            kite.send(remove_user(f"a-{role}"))


RIGHTS = {role.value: rights_of(role) for role in Role} | {"seeing": frozenset({Right.VIEW})}


@pytest.mark.parametrize("who", RIGHTS)
def test_every_call_is_open_to_those_who_have_its_right_and_closed_to_others(
    service: Service, tokens: dict[str, str], who: str
) -> None:
    """What an allowed call then says of a thing that is not there is another matter."""
    calls, wrong = _calls(), []
    with service.http(tokens[who]) as client:
        client.headers["Content-Type"] = "application/json"
        for name, call in CALLS.items():
            method, path = calls[name]
            content = b"[]" if method in ("POST", "PUT", "PATCH") else b""
            with client.stream(method, path, content=content) as answer:
                allowed = answer.status_code != 403
                if answer.status_code >= 500 or answer.status_code == 401:
                    wrong.append(f"{name}: {answer.status_code}")
            if allowed != (call.right in RIGHTS[who]):
                wrong.append(f"{name}: {'allowed' if allowed else 'refused'}, needs {call.right}")
    assert wrong == []


def test_no_call_is_left_out_of_the_list() -> None:
    assert CALLS.keys() <= _calls().keys()
    assert _calls().keys() - CALLS.keys() == OPEN


def test_an_initial_password_is_good_for_being_changed_and_no_more(service: Service) -> None:
    with service.client() as kite:
        added = kite.send(add_user(NewUser(name="lee", role="operator")))
    with service.http() as browser:
        first = {"name": "lee", "password": added.initial_password}
        said = browser.post(f"{V1}/session", json=first).json()
        assert (said["must_change_password"], said["name"]) == (True, "lee")
        refused = browser.get(f"{V1}/switches")
        assert refused.status_code == 403 and "change it before anything else" in refused.json()["detail"]
        change = {"present": added.initial_password, "password": GOOD}
        assert browser.put(f"{V1}/password", json=change).status_code == 204
        assert browser.get(f"{V1}/switches").status_code == 200
        assert browser.get(f"{V1}/users").status_code == 403
    with service.client() as kite:
        kite.send(remove_user("lee"))
        with pytest.raises(ServiceError, match="this is not the present password"):
            kite.send(change_own_password("a guess of one", GOOD))


def test_who_is_restricted_to_a_site_changes_its_switches_alone(service: Service) -> None:
    with service.client() as kite:
        kite.send(change_switch("quay-2", SwitchChange(site="Quays")))
        kite.send(add_user(NewUser(name="joss", role="operator", sites=["Quays"], password=GOOD)))
    with service.http() as browser:
        browser.post(f"{V1}/session", json={"name": "joss", "password": GOOD}).raise_for_status()
        here, elsewhere = "quay-2", "ticket-hall"
        assert browser.patch(f"{V1}/switches/{here}/ports/p3", json={"role": None}).status_code == 200
        for method, path, body in (
            ("PATCH", f"/switches/{elsewhere}/ports/p3", {"role": None}),
            ("PATCH", "/rules", {"changes": [{"switch": elsewhere, "port": "p3", "seats": 2}]}),
            ("PATCH", "/rules", {"changes": [{"switch": here, "seats": 2}, {"seats": 2}]}),
            ("POST", "/rounds", {"switches": [here, elsewhere]}),
            ("POST", "/rounds", {"all": True}),
            ("POST", "/rounds", {"site": "Terminal"}),
            ("POST", "/barred", {"prefix": "02:1a:99"}),
            ("PUT", "/rules/file", {"text": "", "dry_run": True}),
        ):
            refused = browser.request(method, f"{V1}{path}", json=body)
            assert refused.status_code == 403, (path, refused.text)
            assert "joss may change the site Quays only" in refused.json()["detail"]
        begun = browser.post(f"{V1}/rounds", json={"site": "Quays"})
        assert begun.status_code == 202 and begun.json()["total"] == 1
    with service.client() as kite:
        wait_until(lambda: kite.send(round_status(begun.json()["id"])).state == "done", "the round to end")
        with pytest.raises(ServiceError, match="not restricted to sites"):
            kite.send(change_user("joss", UserChange(role="administrator", sites=["Quays"])))
        assert kite.send(change_user("joss", UserChange(role="administrator"))).sites is None
        kite.send(remove_user("joss"))
        kite.send(change_switch("quay-2", SwitchChange(site="")))


def test_the_log_reports_who_did_what_and_what_was_refused(service: Service) -> None:
    with service.client() as kite:
        kite.send(add_user(NewUser(name="kim", full_name="Kim", role="viewer", password=GOOD)))
        kite.send(change_user("kim", UserChange(role="operator")))
        with pytest.raises(ServiceError):
            kite.send(read_now("nothing-there"))
        kite.send(change_rules(RulesPatch(changes=[RuleChange(seats=5)], dry_run=True)))
        made = kite.send(add_token(NewToken(name="once", scopes=("operate",))))
        entries = {(one.action, one.subject): one for one in kite.each(audit_log(by="admin", limit=50))}
        assert kite.send(audit_verdict()).intact
        kite.send(remove_user("kim"))
        assert "kim" not in {one.name for one in kite.all(users())}
    changed = entries["user.change", "kim"]
    assert (changed.before, changed.after) == ({"role": "viewer"}, {"role": "operator"})
    assert (changed.by, changed.client, changed.stage) == ("admin", "127.0.0.1", "done")
    assert changed.via.startswith("token machine")
    assert entries["user.add", "kim"].after["password"] == "(secret)"
    refused = entries["switch.read", "nothing-there"]
    assert refused.stage == "failed" and "no switch 'nothing-there'" in refused.note
    began = entries["user.add", "kim"].number
    since = {one.action for one in entries.values() if one.number > began}
    assert "rule.change" not in since, "asking what would change is no change"
    assert made.secret not in str(entries)
