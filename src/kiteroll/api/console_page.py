"""Serves the console: files of its build, and its page for every other path, which is a view of it."""

import mimetypes
import re
from pathlib import Path
from urllib.parse import quote

from fastapi import FastAPI, Request
from fastapi.responses import FileResponse, HTMLResponse, JSONResponse, Response
from starlette.exceptions import HTTPException

from kiteroll.api.admission import COOKIE
from kiteroll.api.dependencies import TheBroadcaster

CONSOLE = Path(__file__).with_name("console_dist")
_POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; "
    "frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
)
"""Chakra writes its styles into the page; nothing else may come from outside the service."""
_PAGE_HEADERS = {"Cache-Control": "no-cache", "Content-Security-Policy": _POLICY}
_LATEST_EVENT = '<meta name="latest-event" content="'
"""In the page; where the live stream goes on, so that it misses nothing of what is fetched for the page."""
_SWITCH = re.compile(r"switches/([^/]+)")


def serve_console(app: FastAPI) -> None:
    """The routes of the console; last, for they take every path that is left."""

    @app.get("/{path:path}", include_in_schema=False)
    async def console(request: Request, path: str, broadcaster: TheBroadcaster) -> Response:
        if path.startswith(("api/", "health/")):
            raise HTTPException(404, "Not found")
        if not (CONSOLE / "index.html").is_file():
            return JSONResponse({"detail": "the console is not built: run `make console`"}, 503)
        file = (CONSOLE / path).resolve()
        if path and file.is_relative_to(CONSOLE) and file.is_file():
            return _file(file, request, for_ever=path.startswith("assets/"))
        return _page(request, path, broadcaster.last_id)


def _file(file: Path, request: Request, *, for_ever: bool) -> Response:
    caching = "public, max-age=31536000, immutable" if for_ever else "no-cache"
    headers = {"Cache-Control": caching, "Vary": "Accept-Encoding"}
    smaller = file.with_name(f"{file.name}.gz")
    if "gzip" in request.headers.get("accept-encoding", "") and smaller.is_file():
        # Compressed once, by the build, as far as it goes.
        kind = mimetypes.guess_type(file.name)[0]
        return FileResponse(smaller, headers={**headers, "Content-Encoding": "gzip"}, media_type=kind)
    return FileResponse(file, headers=headers)


def _page(request: Request, path: str, latest_event: str) -> Response:
    text = (CONSOLE / "index.html").read_text()
    if not request.cookies.get(COOKIE):
        return HTMLResponse(text, headers=_PAGE_HEADERS)
    text = text.replace(_LATEST_EVENT, _LATEST_EVENT + latest_event, 1)
    links = ", ".join(f"<{one}>; rel=preload; as=fetch; crossorigin" for one in early_calls(path, request))
    return HTMLResponse(text, headers={**_PAGE_HEADERS, "Link": links})


def early_calls(path: str, request: Request) -> list[str]:
    """What the page at `path` is going to ask for, as it asks for it: the browser fetches that while it still
    reads the scripts. A call that the page does not make costs that call and nothing else."""
    calls = ["/api/v1/session"]
    if (found := _SWITCH.fullmatch(path)) and not request.query_params:
        name = quote(found[1], safe="")
        calls += [
            f"/api/v1/switches/{name}",
            f"/api/v1/switches/{name}/ports?limit=1000",
            f"/api/v1/stays?switch={name}&uplinks=false&limit=1000",
        ]
    return calls
