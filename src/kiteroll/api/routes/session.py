"""Signing in: the console exchanges the token for a session cookie that scripts cannot read."""

from fastapi import APIRouter, Request, Response

from kiteroll.api.auth import COOKIE, SESSION_S, NotSignedIn
from kiteroll.api.dependencies import TheAuth
from kiteroll.api.parameters import ERRORS
from kiteroll.schemas import api

router = APIRouter(prefix="/session", tags=["session"], responses=ERRORS)


@router.post("", summary="Open a session with the token")
def sign_in(auth: TheAuth, request: Request, response: Response, given: api.SignIn) -> api.Session:
    if not auth.is_token(given.token):
        raise NotSignedIn(
            f"this is not the token: it is in the file {auth.token_file.name} of the service's data directory"
        )
    response.set_cookie(
        COOKIE,
        auth.new_session(),
        max_age=SESSION_S,
        httponly=True,
        samesite="strict",
        secure=request.url.scheme == "https",
        path="/",
    )
    return api.Session(signed_in=True)


@router.get("", summary="Whether this browser is signed in")
def get_session(auth: TheAuth, request: Request) -> api.Session:
    cookie = request.cookies.get(COOKIE)
    return api.Session(signed_in=cookie is not None and auth.is_session(cookie))


@router.delete("", summary="End the session in this browser")
def sign_out(response: Response) -> api.Session:
    response.delete_cookie(COOKIE, path="/", httponly=True, samesite="strict")
    return api.Session(signed_in=False)
