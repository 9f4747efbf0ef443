"""Names of subjects and streams."""

import re

PREFIX = "kiteroll"


def site_token(site: str) -> str:
    """A site as one token of a subject: letters and digits as they are, everything else in hexadecimal."""
    return re.sub(r"[^A-Za-z0-9]", lambda found: "_" + found[0].encode().hex(), site) or "_"


def readings(token: str) -> str:
    return f"{PREFIX}.{token}.readings"


def status(token: str) -> str:
    return f"{PREFIX}.{token}.status"


def targets(token: str) -> str:
    """Asked by a collector: what it is to read, sealed for it."""
    return f"{PREFIX}.{token}.targets"


def asked(token: str) -> str:
    """From the centre: read this switch now."""
    return f"{PREFIX}.{token}.asked"


def answers(token: str) -> str:
    return f"{PREFIX}.{token}.answers"


def changed(token: str) -> str:
    """From the centre: there are other targets."""
    return f"{PREFIX}.{token}.changed"


def delivered(token: str) -> str:
    """Where a site's server hands its stream to the centre's."""
    return f"{PREFIX}.{token}.delivered"


def stream(token: str) -> str:
    return f"{PREFIX}_{token}"


def lease(token: str) -> str:
    """Bucket of the site: which of its collectors reads."""
    return f"{PREFIX}_lease_{token}"


def inbox(token: str) -> str:
    """Answers to a collector come back here: a site's server hears those of its own alone."""
    return f"_INBOX_{token}"


def token_of(subject: str) -> str:
    return subject.split(".")[1]
