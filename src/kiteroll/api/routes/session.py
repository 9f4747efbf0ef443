"""Signing in: the console exchanges the token for a session cookie that scripts cannot read."""

from fastapi import APIRouter, Request, Response

from kiteroll.api.auth import COOKIE
from kiteroll.api.dependencies import TheAuth
from kiteroll.api.parameters import ERRORS
from kiteroll.api.sessions import SESSION_S
from kiteroll.schemas import api

router = APIRouter(prefix="/session", tags=["session"], responses=ERRORS)


@router.post("", summary="Open a session with the token")
def sign_in(auth: TheAuth, request: Request, response: Response, given: api.SignIn) -> api.Session:
    response.set_cookie(
        COOKIE,
        auth.sign_in(given.token, request.client.host if request.client else ""),
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
    return api.Session(signed_in=cookie is not None and auth.is_signed_in(cookie))


@router.delete("", summary="End the session, for good")
def sign_out(auth: TheAuth, request: Request, response: Response) -> api.Session:
    if (cookie := request.cookies.get(COOKIE)) is not None:
        auth.sign_out(cookie)
    response.delete_cookie(COOKIE, path="/", httponly=True, samesite="strict")
    return api.Session(signed_in=False)
