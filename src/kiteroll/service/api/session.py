"""Signing in: the console trades the token for a session cookie that scripts cannot read."""

from fastapi import APIRouter, Request, Response

from kiteroll.schemas import api
from kiteroll.service.access import COOKIE, SESSION_S, NotSignedIn
from kiteroll.service.api.common import ERRORS, Running

router = APIRouter(prefix="/session", tags=["session"], responses=ERRORS)


@router.post("", summary="Open a session with the token")
def sign_in(service: Running, request: Request, response: Response, given: api.SignIn) -> api.Session:
    if not service.access.is_token(given.token):
        raise NotSignedIn(
            f"this is not the token: it stands in the file {service.access.token_file.name} "
            "of the service's data directory"
        )
    response.set_cookie(
        COOKIE,
        service.access.new_session(),
        max_age=SESSION_S,
        httponly=True,
        samesite="strict",
        secure=request.url.scheme == "https",
        path="/",
    )
    return api.Session(signed_in=True)


@router.get("", summary="Whether this browser is signed in")
def ask(service: Running, request: Request) -> api.Session:
    cookie = request.cookies.get(COOKIE)
    return api.Session(signed_in=cookie is not None and service.access.is_session(cookie))


@router.delete("", summary="End the session in this browser")
def sign_out(response: Response) -> api.Session:
    response.delete_cookie(COOKIE, path="/", httponly=True, samesite="strict")
    return api.Session(signed_in=False)
