"""Where something that was just made can be read (RFC 9110, 10.2.2)."""

from urllib.parse import quote

from starlette.responses import Response


def located(response: Response, *parts: object) -> None:
    path = "/".join(quote(str(part), safe="") for part in parts)
    response.headers["Location"] = f"/api/v1/{path}"
