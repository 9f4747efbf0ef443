"""Accounts, tokens and open sessions; the key of what is sealed."""

from typing import Annotated

from fastapi import APIRouter, Response

from kiteroll.api.admission import ThePrincipal
from kiteroll.api.contract.located import located
from kiteroll.api.contract.pages import PageAsk, by, page
from kiteroll.api.dependencies import TheAccounts, TheClock, TheKeyRotation, TheTokens
from kiteroll.api.presenters.people import present_open_session, present_token, present_user
from kiteroll.core.access.rights import Right, Role
from kiteroll.core.errors import Invalid
from kiteroll.schemas import api
from kiteroll.schemas.base import PageOf

router = APIRouter(tags=["people"])


@router.get("/users", summary="Who may sign in, by name")
def list_users(
    ask: Annotated[PageAsk, by("name", "role", "signed_in_at", "created_at")], accounts: TheAccounts
) -> PageOf[api.User]:
    rows = [present_user(row) for row in accounts.all()]
    return page(rows, ask, "name")


@router.post("/users", status_code=201, summary="Add an account; an initial password is shown this once")
def add_user(response: Response, accounts: TheAccounts, new: api.NewUser) -> api.UserAdded:
    values = new.model_dump(exclude={"name", "password"})
    row, initial = accounts.add(new.name, values, new.password)
    located(response, "users", row.name)
    return api.UserAdded(user=present_user(row), initial_password=initial)


@router.get("/users/{name}", summary="One account")
def get_user(accounts: TheAccounts, name: str) -> api.User:
    return present_user(accounts.get(name))


@router.patch("/users/{name}", summary="Change an account; what is not given stays")
def change_user(accounts: TheAccounts, name: str, change: api.UserChange) -> api.User:
    values = change.model_dump(exclude_unset=True)
    if empty := sorted(key for key in values.keys() - {"sites", "openid_subject"} if values[key] is None):
        raise Invalid(f"{empty[0]}: it cannot be null; leave it out to keep what is set")
    role = values.get("role", accounts.get(name).role)
    if role == Role.ADMINISTRATOR and values.get("sites") is not None:
        raise Invalid("sites: an administrator is not restricted to sites; choose another role")
    if role == Role.ADMINISTRATOR:
        values["sites"] = None
    return present_user(accounts.change(name, values))


@router.delete("/users/{name}", status_code=204, summary="Remove an account, its tokens and its sessions")
def remove_user(accounts: TheAccounts, name: str) -> Response:
    accounts.remove(name)
    return Response(status_code=204)


@router.post("/users/{name}/initial-password", summary="Give an account a new initial password")
def reset_password(accounts: TheAccounts, name: str) -> api.InitialPassword:
    return api.InitialPassword(name=name, initial_password=accounts.reset_password(name))


@router.put("/password", status_code=204, summary="Change the own password; other sessions end")
def change_own_password(
    accounts: TheAccounts, principal: ThePrincipal, change: api.PasswordChange
) -> Response:
    accounts.change_own_password(principal, change.present, change.password)
    return Response(status_code=204)


@router.get("/tokens", summary="Tokens: one's own; for administrators everybody's")
def list_tokens(
    ask: Annotated[PageAsk, by("id", "name", "owner", "expires_at", "last_used_at")],
    tokens: TheTokens,
    principal: ThePrincipal,
    clock: TheClock,
) -> PageOf[api.Token]:
    rows = [present_token(row, clock.now()) for row in tokens.all(principal)]
    return page(rows, ask, "id")


@router.post("/tokens", status_code=201, summary="Make a token for the own account; it is shown this once")
def add_token(
    response: Response, tokens: TheTokens, principal: ThePrincipal, clock: TheClock, new: api.NewToken
) -> api.TokenAdded:
    scopes = frozenset(Right(one) for one in new.scopes)
    row, secret = tokens.add(principal, new.name, scopes, new.expires_at)
    located(response, "tokens", row.id)
    return api.TokenAdded(token=present_token(row, clock.now()), secret=secret)


@router.get("/tokens/{number}", summary="One token, without its secret")
def get_token(tokens: TheTokens, principal: ThePrincipal, clock: TheClock, number: int) -> api.Token:
    return present_token(tokens.get(principal, number), clock.now())


@router.delete("/tokens/{number}", status_code=204, summary="Revoke a token; sessions opened with it end")
def revoke_token(tokens: TheTokens, principal: ThePrincipal, number: int) -> Response:
    tokens.revoke(principal, number)
    return Response(status_code=204)


@router.get("/sessions", summary="Open sessions: one's own; for administrators everybody's")
def list_sessions(
    ask: Annotated[PageAsk, by("id", "owner", "opened_at", "last_used_at")],
    tokens: TheTokens,
    principal: ThePrincipal,
) -> PageOf[api.OpenSession]:
    rows = [present_open_session(row, principal) for row in tokens.sessions(principal)]
    return page(rows, ask, "id")


@router.delete("/sessions/{number}", status_code=204, summary="End a session, wherever its cookie is")
def end_session(tokens: TheTokens, principal: ThePrincipal, number: int) -> Response:
    tokens.end_session(principal, number)
    return Response(status_code=204)


@router.post("/key-rotations", summary="Seal every secret with a new key")
def rotate_key(rotation: TheKeyRotation) -> api.KeyRotated:
    return api.KeyRotated(sealed_again=rotation.rotate())
