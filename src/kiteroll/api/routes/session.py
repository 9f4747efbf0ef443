"""Signing in: the console exchanges a password, a token, or the word of an OpenID Connect provider for a
session cookie that scripts cannot read."""

from typing import Annotated
from urllib.parse import urlencode

from fastapi import APIRouter, Query, Request, Response
from fastapi.responses import HTMLResponse, RedirectResponse

from kiteroll.api.admission import COOKIE
from kiteroll.api.dependencies import TheAuditLog, TheBroadcaster, TheOpenId, TheSignIn
from kiteroll.api.presenters.people import present_session
from kiteroll.app.access.audit_log import DONE, FAILED
from kiteroll.app.access.openid_provider import NotVouchedFor
from kiteroll.app.access.openid_sign_in import CALLBACK, PATIENCE
from kiteroll.app.access.sign_in import SESSION, NotSignedIn, TooManyTries
from kiteroll.core.errors import Conflict
from kiteroll.schemas import api

_OPENID_COOKIE = "kiteroll_openid"

router = APIRouter(prefix="/session", tags=["session"])


@router.post("", summary="Open a session with name and password, or with a token")
def sign_in(
    signing: TheSignIn,
    openid: TheOpenId,
    audit: TheAuditLog,
    request: Request,
    response: Response,
    given: api.SignIn,
) -> api.Session:
    client, agent = client_of(request), request.headers.get("user-agent", "")
    try:
        if given.token is not None:
            secret, principal = signing.with_token(given.token, client, agent)
        else:
            secret, principal = signing.with_password(given.name or "", given.password or "", client, agent)
    except (NotSignedIn, TooManyTries) as refused:
        details = {"by": given.name or "", "client": client, "note": str(refused)}
        audit.append(FAILED, "session.open", given.name or "a token", principal=None, **details)
        raise
    audit.append(DONE, "session.open", principal.name, principal=principal, client=client)
    set_cookie(request, response, secret)
    return present_session(principal, openid.name)


@router.get("", summary="Whether this browser is signed in, as whom, and what they may do")
def get_session(
    signing: TheSignIn, openid: TheOpenId, broadcaster: TheBroadcaster, request: Request
) -> api.Session:
    cookie = request.cookies.get(COOKIE)
    principal = None if cookie is None else signing.of_session(cookie)
    latest = "" if principal is None else broadcaster.last_id
    return present_session(principal, openid.name, latest)


@router.delete("", summary="End the session, for good")
def sign_out(
    signing: TheSignIn, openid: TheOpenId, audit: TheAuditLog, request: Request, response: Response
) -> api.Session:
    cookie = request.cookies.get(COOKIE)
    principal = None if cookie is None else signing.of_session(cookie)
    if principal is not None:
        signing.sign_out(principal)
        client = client_of(request)
        audit.append(DONE, "session.end", principal.name, principal=principal, client=client)
    response.delete_cookie(COOKIE, path="/", httponly=True, samesite="strict")
    return present_session(None, openid.name)


@router.get("/openid", summary="Sign in at the OpenID Connect provider", response_class=RedirectResponse)
def begin_openid(openid: TheOpenId, request: Request) -> Response:
    try:
        url, sealed = openid.begin()
    except NotVouchedFor as wrong:
        return _back(str(wrong))
    answer = RedirectResponse(url, 302)
    # Lax: the browser comes back from another site.
    answer.set_cookie(
        _OPENID_COOKIE,
        sealed,
        max_age=int(PATIENCE.total_seconds()),
        httponly=True,
        samesite="lax",
        secure=request.url.scheme == "https",
        path=CALLBACK,
    )
    return answer


@router.get(
    "/openid/callback", summary="Where the provider sends the browser back to", response_class=HTMLResponse
)
def end_openid(
    signing: TheSignIn,
    openid: TheOpenId,
    audit: TheAuditLog,
    request: Request,
    state: Annotated[str, Query(max_length=500)] = "",
    code: Annotated[str, Query(max_length=4000)] = "",
    error: Annotated[str, Query(max_length=500)] = "",
) -> Response:
    client, agent = client_of(request), request.headers.get("user-agent", "")
    try:
        if error:
            raise NotVouchedFor(f"the provider says: {error}")
        row = openid.end(request.cookies.get(_OPENID_COOKIE), state, code)
        secret, principal = signing.vouched_for(row, client, agent)
    except (NotVouchedFor, NotSignedIn, Conflict) as refused:
        audit.append(FAILED, "session.open", openid.name, principal=None, client=client, note=str(refused))
        return _back(str(refused))
    audit.append(DONE, "session.open", principal.name, principal=principal, client=client, note=openid.name)
    # A redirect that began at another site takes no strict cookie along; a page of ours does.
    answer = HTMLResponse(
        '<!doctype html><meta http-equiv="refresh" content="0;url=/"><a href="/">Kite Roll</a>'
    )
    set_cookie(request, answer, secret)
    answer.delete_cookie(_OPENID_COOKIE, path=CALLBACK)
    return answer


def _back(why: str) -> Response:
    """To the page where people sign in, which says why."""
    return RedirectResponse(f"/?{urlencode({'refused': why[:500]})}", 302)


def set_cookie(request: Request, response: Response, secret: str) -> None:
    response.set_cookie(
        COOKIE,
        secret,
        max_age=int(SESSION.total_seconds()),
        httponly=True,
        samesite="strict",
        secure=request.url.scheme == "https",
        path="/",
    )


def client_of(request: Request) -> str:
    return request.client.host if request.client else ""
