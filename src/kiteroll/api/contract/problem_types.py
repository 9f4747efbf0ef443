"""Every problem the API may answer with: its code, its page, and what to do about it (RFC 9457)."""

from collections.abc import Iterable
from dataclasses import dataclass
from html import escape

PAGES = "/problems/"
"""Where the service shows a page for each code; `type` of a problem leads there."""


@dataclass(frozen=True, slots=True)
class ProblemType:
    status: int
    title: str
    meaning: str
    remedy: str


PROBLEM_TYPES: dict[str, ProblemType] = {
    "bad_json": ProblemType(
        400,
        "Body is not JSON",
        "The body of the request could not be read as JSON.",
        "Send JSON (RFC 8259) in UTF-8; `errors` says at which character reading stopped.",
    ),
    "half_sent": ProblemType(
        400,
        "Half-sent request",
        "The connection was closed before the whole request had arrived.",
        "Send it again. Nothing was done.",
    ),
    "not_signed_in": ProblemType(
        401,
        "Not signed in",
        "The call carries no valid token and no open session.",
        "Send `Authorization: Bearer TOKEN`; `kiteroll token add` makes a token. An expired or revoked one "
        "needs a new one.",
    ),
    "not_allowed": ProblemType(
        403,
        "Not allowed",
        "The account or token lacks the right for this call, or may not change what is at this site.",
        "Ask an administrator for the right that `detail` names.",
    ),
    "foreign": ProblemType(
        403,
        "Foreign request",
        "The request was sent to a host name that is not this service's, or by a page of another site.",
        "Use the service's own name or address; further names are set in `listen.names`.",
    ),
    "not_found": ProblemType(
        404,
        "Not found",
        "There is nothing by this name, number or path.",
        "`detail` names what was asked for and where to look; names that are nearly the same are suggested.",
    ),
    "method_not_allowed": ProblemType(
        405, "Method not allowed", "The path exists, but not with this method.", "`Allow` lists its methods."
    ),
    "too_slow": ProblemType(
        408, "Request too slow", "The body did not arrive in time.", "Send it again, in smaller parts."
    ),
    "conflict": ProblemType(
        409,
        "Conflict",
        "What is there already stands against the change: a name that is taken, something still in use, or "
        "somebody was faster.",
        "Read the current state, then decide.",
    ),
    "guarded": ProblemType(
        409,
        "Guarded",
        "A guard keeps this port or switch from being acted on.",
        "`errors` names each guard; those that may be overridden are named in `overrides` of the request.",
    ),
    "request_repeated": ProblemType(
        409,
        "Request was sent before",
        "A request with the same idempotency key is being worked on, or was cut off before it ended.",
        "Wait and send it again to get its answer. When it was cut off, look whether the change was made "
        "before you send it with another key.",
    ),
    "changed_meanwhile": ProblemType(
        412,
        "Changed meanwhile",
        "The resource is not in the state that `If-Match` or `If-None-Match` asks for.",
        "Read it again, apply the change to what is there now, and send it with the new `ETag`.",
    ),
    "too_large": ProblemType(
        413, "Request too large", "The body or the URL is larger than what is taken.", "Send less at once."
    ),
    "invalid": ProblemType(
        422,
        "Invalid request",
        "A parameter or a field is unknown, missing, or has a value that cannot be right.",
        "`errors` names each place and what is wrong there. Nothing was changed.",
    ),
    "bad_address": ProblemType(
        422,
        "Not a MAC address",
        "The text is not a MAC address, or not a part of one.",
        "Any common notation with twelve hexadecimal digits is taken; searches take four digits and more.",
    ),
    "key_used_otherwise": ProblemType(
        422,
        "Idempotency key used otherwise",
        "The idempotency key came with another request before.",
        "Use a new key for every request; repeat only the same request with the same key.",
    ),
    "too_many_tries": ProblemType(
        429, "Too many tries", "Too many wrong passwords or tokens.", "Wait for `Retry-After` seconds."
    ),
    "bug": ProblemType(
        500,
        "Internal error",
        "The call failed by a fault of the service.",
        "The log of the service has the details; `kiteroll doctor` gathers what a report needs.",
    ),
    "bad_config": ProblemType(
        500,
        "Invalid configuration of the service",
        "Something the service was configured with cannot be used.",
        "An administrator can correct what `detail` names; `kiteroll check` finds such things.",
    ),
    "device": ProblemType(
        502,
        "Switch cannot be read",
        "Something went wrong between the service and the switch.",
        "`detail` says what. The last complete reading stays.",
    ),
    "device_refused": ProblemType(
        502,
        "Switch rejects the request",
        "The switch answered, and rejected the request: often a wrong credential, or too narrow a view.",
        "Check the credential with `kiteroll credential test`, and what its view on the switch holds.",
    ),
    "device_lied": ProblemType(
        502,
        "Invalid response from switch",
        "The answer of the switch cannot be decoded or contradicts itself.",
        "`kiteroll probe` shows what it answers.",
    ),
    "not_vouched_for": ProblemType(
        502,
        "Provider does not vouch",
        "The OpenID Connect provider did not confirm who signs in.",
        "`detail` says what it answered; sign in again, or with a password.",
    ),
    "tracked_elsewhere": ProblemType(
        409,
        "Tracked by a tracker",
        "The tracker of its area has the switch: its readings come from the collectors of its site.",
        "`kiteroll site areas` shows who tracks what. Nothing was written.",
    ),
    "bus_unavailable": ProblemType(
        503,
        "Site not reached",
        "The switch is read by a collector at its site, which does not answer at the moment.",
        "`kiteroll collector list` shows who is heard; what is read there meanwhile comes later.",
    ),
    "storage_unavailable": ProblemType(
        503,
        "Database unavailable",
        "The database cannot be reached at the moment.",
        "Try again after `Retry-After` seconds; readings wait and are not lost.",
    ),
    "tracker_away": ProblemType(
        503,
        "Tracker away",
        "The service that was asked only answers. The one that tracks, to which it passes changes on, does "
        "not answer it.",
        "Try again after `Retry-After` seconds. Where `detail` says that it may have been done, look first, "
        "or send it with an `Idempotency-Key`.",
    ),
    "stopping": ProblemType(
        503, "Service is stopping", "The service ends before it could store this.", "Send it again later."
    ),
    "device_silent": ProblemType(
        504,
        "Switch does not answer",
        "The switch did not answer in time.",
        "Check that it is reachable from the service, and that SNMP is answered to this address.",
    ),
}


def page_of(code: str, one: ProblemType) -> str:
    """The page of a problem, in HTML."""
    return (
        '<!doctype html><html lang="en"><meta charset="utf-8">'
        f"<title>{escape(one.title)} – Kite Roll</title>"
        "<style>body{font:1rem/1.6 system-ui,sans-serif;max-width:42rem;margin:3rem auto;padding:0 1rem;"
        "color:#16323a;background:#fff}code{background:#eef3f4;padding:0 .25em}</style>"
        f"<h1>{escape(one.title)}</h1><p>Status {one.status}, code <code>{code}</code></p>"
        f"<p>{_marked(one.meaning)}</p><h2>What to do</h2><p>{_marked(one.remedy)}</p></html>"
    )


def as_markdown(types: Iterable[tuple[str, ProblemType]]) -> str:
    """The table of docs/problems.md."""
    lines = [
        "# Problems the API answers with",
        "",
        "Errors are problem details (RFC 9457, `application/problem+json`). `code` never changes; `type` is",
        "the path of a page of the service with the same words; `errors` names each wrong field.",
        "This page is generated from the code.",
        "",
        "| status | code | meaning | what to do |",
        "| --- | --- | --- | --- |",
    ]
    lines += [f"| {one.status} | `{code}` | {one.meaning} | {one.remedy} |" for code, one in types]
    return "\n".join(lines) + "\n"


def _marked(text: str) -> str:
    parts = escape(text).split("`")
    return "".join(f"<code>{part}</code>" if at % 2 else part for at, part in enumerate(parts))
